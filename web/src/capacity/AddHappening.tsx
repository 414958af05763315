import Autocomplete from "@mui/material/Autocomplete";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";
import { CARD } from "../parts/CardHead";
import { capacityQuery, type Happening, machinesLikeQuery } from "./queries";

const TIB = 2 ** 40;
/** What can happen, and what is typed for it. */
const WHATS = {
  comes: { label: "more comes in", unit: "TiB" },
  room: { label: "room is added", unit: "TiB" },
  machines: { label: "machines come, as many as", unit: "machines" },
  retired: { label: "it is retired", unit: "" },
} as const;
type What = keyof typeof WHATS;
const DAYS_MOST = 365;

interface Place {
  kind: "pool" | "datastore";
  id: number;
  name: string;
}

interface Like {
  id: number;
  name: string;
}

/** A form for one thing that happens to a datastore or a pool. */
export function AddHappening({ add }: { add: (act: Happening) => void }) {
  const [what, setWhat] = useState<What>("comes");
  const [amount, setAmount] = useState("");
  const [days, setDays] = useState("0");
  const [place, setPlace] = useState<Place | null>(null);
  const [like, setLike] = useState<Like | null>(null);
  const number = Number(amount.replace(",", "."));
  const inDays = Math.round(Number(days));
  const ready =
    place !== null &&
    inDays >= 0 &&
    inDays <= DAYS_MOST &&
    (what === "retired" || (Number.isFinite(number) && number !== 0)) &&
    (what !== "machines" || (like !== null && number >= 1));
  return (
    <Box
      component="form"
      aria-label="Something happens"
      sx={{
        ...CARD,
        p: "10px 12px",
        mt: 1,
        display: "flex",
        gap: 1.25,
        flexWrap: "wrap",
        alignItems: "center",
      }}
      onSubmit={(event) => {
        event.preventDefault();
        if (!ready) return;
        add({
          what,
          kind: place.kind,
          id: place.id,
          in_days: inDays,
          size_bytes: what === "comes" || what === "room" ? Math.round(number * TIB) : 0,
          count: what === "machines" ? Math.round(number) : 0,
          like: what === "machines" ? (like?.id ?? null) : null,
        });
      }}
    >
      <TextField
        select
        size="small"
        value={what}
        sx={{ width: 220 }}
        slotProps={{ htmlInput: { "aria-label": "What happens" } }}
        onChange={(event) => {
          setWhat(event.target.value as What);
        }}
      >
        {(Object.keys(WHATS) as What[]).map((each) => (
          <MenuItem key={each} value={each}>
            {WHATS[each].label}
          </MenuItem>
        ))}
      </TextField>
      {what !== "retired" && (
        <TextField
          size="small"
          label={WHATS[what].unit}
          value={amount}
          sx={{ width: 96 }}
          slotProps={{ inputLabel: { shrink: true } }}
          onChange={(event) => {
            setAmount(event.target.value);
          }}
        />
      )}
      {what === "machines" && <LikePicker like={like} pick={setLike} />}
      <PlacePicker label={what === "retired" ? "what" : "where"} place={place} pick={setPlace} />
      <TextField
        size="small"
        type="number"
        label="in so many days"
        value={days}
        sx={{ width: 116 }}
        slotProps={{ inputLabel: { shrink: true }, htmlInput: { min: 0, max: DAYS_MOST } }}
        onChange={(event) => {
          setDays(event.target.value);
        }}
      />
      <Button type="submit" variant="contained" size="small" disabled={!ready}>
        Ask
      </Button>
    </Box>
  );
}

interface PlaceProps {
  label: string;
  place: Place | null;
  pick: (place: Place | null) => void;
}

/** A pool or a datastore, by its name. */
function PlacePicker({ label, place, pick }: PlaceProps) {
  const { data: pools } = useQuery(capacityQuery("pool"));
  const { data: stores } = useQuery(capacityQuery("datastore"));
  const places: Place[] = [
    ...(pools?.rows ?? []).map(({ id, name }) => ({ kind: "pool" as const, id, name })),
    ...(stores?.rows ?? []).map(({ id, name }) => ({ kind: "datastore" as const, id, name })),
  ].sort((a, b) => b.kind.localeCompare(a.kind) || a.name.localeCompare(b.name));
  return (
    <Autocomplete
      size="small"
      sx={{ width: 210 }}
      options={places}
      value={place}
      groupBy={(each) => `${each.kind}s`}
      getOptionLabel={(each) => each.name}
      getOptionKey={(each) => `${each.kind} ${String(each.id)}`}
      isOptionEqualToValue={(one, other) => one.kind === other.kind && one.id === other.id}
      onChange={(_event, chosen) => {
        pick(chosen);
      }}
      renderInput={(params) => <TextField {...params} label={label} />}
    />
  );
}

/** A machine that those which come are like: they take what its disks have written. */
function LikePicker({ like, pick }: { like: Like | null; pick: (like: Like | null) => void }) {
  const [text, setText] = useState("");
  const { data } = useQuery({
    ...machinesLikeQuery(useDeferredValue(text)),
    placeholderData: keepPreviousData,
  });
  const found = (data?.results ?? []).map(({ id, name }) => ({ id, name }));
  return (
    <Autocomplete
      size="small"
      sx={{ width: 190 }}
      options={found}
      value={like}
      filterOptions={(all) => all}
      getOptionLabel={(each) => each.name}
      getOptionKey={(each) => each.id}
      isOptionEqualToValue={(one, other) => one.id === other.id}
      onInputChange={(_event, typed) => {
        setText(typed === like?.name ? "" : typed);
      }}
      onChange={(_event, chosen) => {
        pick(chosen);
      }}
      renderInput={(params) => <TextField {...params} label="like" />}
    />
  );
}
