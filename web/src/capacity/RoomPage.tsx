import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";
import { useDraft } from "../lots/useDraft";
import { CARD, CardHead } from "../parts/CardHead";
import { countOf } from "../parts/format";
import { Mark } from "../parts/Mark";
import { ProblemAlert } from "../parts/ProblemAlert";
import { Typed } from "../parts/Typed";
import { useUnit } from "../parts/unit";
import { Page } from "../shell/Page";
import { useSession } from "../shell/useSession";
import { confirmed, type PlacePlan, type PlannedAct, roomQuery } from "./queries";

const HORIZON = 365;

/** The cheapest set of reclaims and growths that gives every pool and datastore the runway that is wanted. */
export function RoomPage() {
  const [days, setDays] = useState(90);
  const [deleting, setDeleting] = useState(false);
  const asked = useDeferredValue(days);
  const { data, error } = useQuery({
    ...roomQuery(asked, deleting),
    placeholderData: keepPreviousData,
  });
  const short = (data?.places ?? []).filter((place) => place.short_bytes > 0);
  return (
    <Page title="Room plan" stage="capacity" error={error} loading={!data}>
      <Box
        component="section"
        aria-label="What is wanted"
        sx={{ display: "flex", gap: 1.5, flexWrap: "wrap", alignItems: "center", mb: 1.5 }}
      >
        <b>All pools and datastores last at least</b>
        <TextField
          size="small"
          type="number"
          label="days"
          value={days}
          sx={{ width: 100 }}
          slotProps={{ inputLabel: { shrink: true }, htmlInput: { min: 1, max: HORIZON } }}
          onChange={(event) => {
            setDays(Math.min(HORIZON, Math.max(1, Math.round(Number(event.target.value)) || 1)));
          }}
        />
        <FormControlLabel
          control={
            <Checkbox
              size="small"
              checked={deleting}
              onChange={(event) => {
                setDeleting(event.target.checked);
              }}
            />
          }
          label="and for that something may be deleted for good"
        />
      </Box>
      {data?.places.length === 0 && (
        <Typography>
          ■ Everything lasts {countOf(data.days, "day")} or longer, 80 % sure: nothing has to be done.
        </Typography>
      )}
      {data && data.places.length > 0 && (
        <>
          <Places places={data.places} days={data.days} />
          {short.length > 0 && (
            <Typography sx={{ mt: 1, color: "var(--buoyText)" }}>
              ▲ Nothing known gives {short.map((place) => place.name).join(", ")} all that is needed: add
              drives, or move disks to other pools by Balance.
            </Typography>
          )}
          <Acts acts={data.acts} />
        </>
      )}
    </Page>
  );
}

const lasts = (days: number | null): string => (days === null ? "over a year" : countOf(days, "day"));

/** What is short of it: its runway now and then. */
function Places({ places, days }: { places: readonly PlacePlan[]; days: number }) {
  const { size } = useUnit();
  return (
    <Box component="section" aria-label="What is short" sx={{ ...CARD, overflowX: "auto" }}>
      <CardHead title="What is short">
        <span style={{ color: "var(--mute)", fontSize: 12 }}>
          of {countOf(days, "day")}, at the earliest that is 80 % sure
        </span>
      </CardHead>
      {places.map((place) => (
        <Box key={`${place.kind} ${String(place.id)}`} sx={{ ...LINE, gridTemplateColumns: PLACE_GRID }}>
          <span style={{ display: "flex", gap: 6, alignItems: "center" }}>
            <Mark kind={place.short_bytes > 0 ? "over" : "clear"} label="" />
            <span>
              <b>{place.name}</b> <span style={{ color: "var(--mute)", fontSize: 12 }}>{place.kind}</span>
            </span>
          </span>
          <span>
            <span style={{ color: "var(--mute)" }}>lasts</span>{" "}
            <span className="mono">
              {lasts(place.early)} → {lasts(place.early_then)}
            </span>
          </span>
          <span>
            <span style={{ color: "var(--mute)" }}>needs</span>{" "}
            <span className="mono">{size(place.need_bytes)}</span>
          </span>
          <span>
            <span style={{ color: "var(--mute)" }}>gets</span>{" "}
            <span className="mono">{size(place.gets_bytes)}</span>
          </span>
          <span style={{ color: place.short_bytes > 0 ? "var(--buoyText)" : "var(--mute)" }}>
            {place.short_bytes > 0 ? `lacks ${size(place.short_bytes)} still` : "enough"}
          </span>
        </Box>
      ))}
    </Box>
  );
}

const PLACE_GRID = "minmax(180px, 1.2fr) minmax(200px, 1.2fr) 130px 130px minmax(140px, 1fr)";
const ACT_GRID = "28px 96px minmax(240px, 1.4fr) minmax(160px, 1fr) 120px 170px";
const LINE = {
  display: "grid",
  columnGap: 2,
  minWidth: 860,
  alignItems: "center",
  p: "6px 12px",
  borderTop: "1px solid var(--line)",
} as const;

/** The lots of the plan, in the order in which they are run. */
function Acts({ acts }: { acts: readonly PlannedAct[] }) {
  const draft = useDraft();
  const hours = acts.reduce((sum, act) => sum + act.hours, 0);
  return (
    <Box component="section" aria-label="What is done" sx={{ ...CARD, mt: 1.5, overflowX: "auto" }}>
      <CardHead title="What is done">
        <span style={{ color: "var(--mute)", fontSize: 12 }}>
          {acts.length === 0
            ? "nothing that is known helps"
            : `the cheapest ${countOf(acts.length, "lot that does it", "lots that do it")}, in this order${hours >= 0.1 ? `; devices work about ${hours.toFixed(1)} h` : ""}`}
        </span>
      </CardHead>
      <ProblemAlert error={draft.error} />
      {acts.map((act, place) => (
        <Act
          key={act.what}
          act={act}
          number={place + 1}
          busy={draft.isPending}
          go={() => {
            draft.mutate(confirmed(act.draft, act.typed));
          }}
        />
      ))}
    </Box>
  );
}

function Act({ act, number, busy, go }: { act: PlannedAct; number: number; busy: boolean; go: () => void }) {
  const { size } = useUnit();
  const { data: session } = useSession();
  const [typing, setTyping] = useState(false);
  return (
    <>
      <Box sx={{ ...LINE, gridTemplateColumns: ACT_GRID }}>
        <span className="mono" style={{ color: "var(--mute)" }}>
          {number}
        </span>
        <b className="mono" style={{ textAlign: "right" }}>
          {size(act.size_bytes)}
        </b>
        <span>
          {act.what}
          <span style={{ color: "var(--mute)", fontSize: 12, display: "block" }}>{act.place}</span>
        </span>
        <span style={{ color: "var(--mute)" }}>{act.certainty}</span>
        <span className="mono" style={{ color: "var(--mute)" }}>
          {act.hours >= 0.1 ? `${act.hours.toFixed(1)} h` : "minutes"}
        </span>
        {session?.may_change ? (
          <Button
            variant="outlined"
            size="small"
            disabled={busy}
            onClick={() => {
              if (act.typed) setTyping(!typing);
              else go();
            }}
          >
            {act.draft.action}
          </Button>
        ) : (
          <span />
        )}
      </Box>
      {typing && (
        <Typed label={`Type ${act.typed} to say that it is meant`} name={act.typed} act="Draft lot" go={go}>
          Nothing brings it back.
        </Typed>
      )}
    </>
  );
}
