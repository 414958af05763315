import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useDeferredValue, useMemo, useState } from "react";
import { api, unwrap } from "../api/client";
import { Choice, TextInput } from "../lots/drafts/fields";
import { CARD, CardHead } from "../parts/CardHead";
import { ProblemAlert } from "../parts/ProblemAlert";
import { useUnit } from "../parts/unit";
import { useChange } from "../parts/useChange";
import type { AllMembers, GroupForm, GroupMembers, MemberStore } from "./queries";

interface Typed {
  name: string;
  joins: string;
}

interface Props {
  /** The group that is changed; none for a new one. */
  group: GroupMembers | undefined;
  all: AllMembers;
  /** The datastores that are ticked, by id. */
  chosen: ReadonlySet<number>;
  choose: (change: (before: ReadonlySet<number>) => ReadonlySet<number>) => void;
  close: () => void;
}

/** A group as it is typed. */
export function GroupEditor({ group, all, chosen, choose, close }: Props) {
  const [typed, setTyped] = useState<Typed>({ name: group?.name ?? "", joins: group?.joins ?? "" });
  const store = useChange(
    (body: GroupForm) =>
      group
        ? unwrap(
            api.PUT("/api/balance/groups/{name}/members/", {
              params: { path: { name: group.name }, header: { "If-Match": `"${String(group.number)}"` } },
              body,
            }),
          )
        : unwrap(api.POST("/api/balance/groups/", { body })),
    () => {
      setTyped({ name: "", joins: "" });
      close();
    },
  );
  const change = (part: Partial<Typed>) => {
    setTyped((before) => ({ ...before, ...part }));
  };
  const toggle = (id: number) => {
    choose((before) => {
      const next = new Set(before);
      if (!next.delete(id)) next.add(id);
      return next;
    });
  };
  return (
    <Box
      component="form"
      aria-label={group ? `Change ${group.name}` : "New group"}
      sx={CARD}
      onSubmit={(event) => {
        event.preventDefault();
        store.mutate({ ...typed, datastores: [...chosen] });
      }}
    >
      <CardHead title={group ? `Change ${group.name}` : "New group"}>{null}</CardHead>
      <Box sx={{ display: "grid", gap: 1.5, p: 1.5 }}>
        <TextInput
          of={{ form: typed, change, fixed: store.isPending }}
          name="name"
          label="Name"
          hint={group ? "links and drafts by its old name go on" : "as plans and findings call it"}
        />
        <Choice
          label="New datastores of"
          value={typed.joins}
          fixed={store.isPending}
          options={[
            ["", "no cluster join by themselves"],
            ...all.clusters.map((name) => [name, name] as const),
          ]}
          hint="those of the cluster become members as they are first read"
          choose={(joins) => {
            change({ joins });
          }}
        />
        <StorePicker stores={storesOf(all)} chosen={chosen} toggle={toggle} of={group?.name ?? ""} />
        <ProblemAlert error={store.error} />
        <Box sx={{ display: "flex", gap: 1 }}>
          <Button
            type="submit"
            variant="contained"
            disabled={!typed.name.trim() || chosen.size === 0 || store.isPending}
          >
            {group ? "Store the change" : "Make the group"}
          </Button>
          {group && <Button onClick={close}>Leave it</Button>}
        </Box>
      </Box>
    </Box>
  );
}

const storesOf = (all: AllMembers): MemberStore[] =>
  [...all.alone, ...all.groups.flatMap((group) => group.parts.flatMap((part) => part.datastores))].sort(
    (a, b) => a.name.localeCompare(b.name) || a.id - b.id,
  );

interface PickerProps {
  stores: readonly MemberStore[];
  chosen: ReadonlySet<number>;
  toggle: (id: number) => void;
  /** The group itself: of other ones it is said what is theirs. */
  of: string;
}

/** All datastores to tick, found by their name, pool, array, cluster or group. */
function StorePicker({ stores, chosen, toggle, of }: PickerProps) {
  const { size } = useUnit();
  const [sought, setSought] = useState("");
  const words = useDeferredValue(sought).toLowerCase();
  const shown = useMemo(
    () =>
      stores.filter((store) =>
        [store.name, store.pool, store.array, store.group, ...store.clusters].join(" ").includes(words),
      ),
    [stores, words],
  );
  return (
    <Box role="group" aria-label="Datastores">
      <TextField
        label="Datastores"
        placeholder="by name, pool, array, cluster or group"
        value={sought}
        onChange={(event) => {
          setSought(event.target.value);
        }}
        helperText={`${String(chosen.size)} of ${String(stores.length)} ticked`}
        slotProps={{ inputLabel: { shrink: true } }}
      />
      <Box sx={{ maxHeight: 250, overflow: "auto", border: "1px solid var(--line)", borderRadius: "4px" }}>
        {shown.map((store) => (
          <Box
            component="label"
            key={store.id}
            sx={{
              display: "grid",
              gridTemplateColumns: "28px minmax(0, 1fr) auto",
              alignItems: "center",
              pr: 1,
              cursor: "pointer",
            }}
          >
            <Checkbox
              size="small"
              sx={{ p: 0.5 }}
              checked={chosen.has(store.id)}
              onChange={() => {
                toggle(store.id);
              }}
            />
            <span style={{ overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap" }}>
              {store.name}{" "}
              <span style={{ color: "var(--mute)", fontSize: 12 }}>
                {store.pool || "hosts' own drives"}
                {store.group && store.group !== of && ` · in ${store.group}`}
              </span>
            </span>
            <span style={{ color: "var(--mute)", fontSize: 12 }}>{size(store.capacity_bytes)}</span>
          </Box>
        ))}
        {shown.length === 0 && (
          <Typography color="textSecondary" sx={{ p: 1 }}>
            No datastore is called so.
          </Typography>
        )}
      </Box>
    </Box>
  );
}
