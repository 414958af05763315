import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { api, unwrap } from "../api/client";
import { Choice, TextInput } from "../lots/drafts/fields";
import { CARD, CardHead } from "../parts/CardHead";
import { formatTyped } from "../parts/format";
import { ProblemAlert } from "../parts/ProblemAlert";
import { useChange } from "../parts/useChange";
import type { Rule, RuleForm } from "./queries";

type Typed = Required<Omit<RuleForm, "machines" | "disks" | "until">> & {
  machines: string;
  disks: string;
  /** By the reader's clock, empty for good. */
  until: string;
};

const EMPTY: Typed = {
  name: "",
  kind: "split",
  among: "machines",
  apart_by: "pool",
  labelled: "",
  machines: "",
  disks: "",
  datastore: "",
  until: "",
};

const KINDS = [
  ["split", "apart"],
  ["bond", "together, on one datastore"],
  ["pin", "where they are"],
  ["off", "off a datastore"],
  ["people", "for people to move"],
] as const;
const SITES = [
  ["datastore", "datastores"],
  ["pool", "pools"],
  ["array", "arrays"],
] as const;
const APART_AMONG = [
  ["machines", "disks of different machines"],
  ["disks", "all disks"],
  ["each machine", "the disks of each machine"],
] as const;
/** Which of its disks a rule of a kind may be about together; none where it is about each for itself. */
const AMONG = { split: APART_AMONG, bond: APART_AMONG.slice(1), pin: [], off: [], people: [] } as const;

const typedOf = (rule: Rule): Typed => ({
  name: rule.name,
  kind: KINDS.find(([each]) => each === rule.kind)?.[0] ?? "split",
  among: APART_AMONG.find(([each]) => each === rule.among)?.[0] ?? "disks",
  apart_by: SITES.find(([each]) => each === rule.apart_by)?.[0] ?? "datastore",
  labelled: rule.labelled,
  machines: rule.machines.map((machine) => machine.name).join(", "),
  disks: rule.disks.map((disk) => disk.name).join(", "),
  datastore: rule.datastore,
  until: rule.until ? formatTyped(rule.until) : "",
});

const namesOf = (text: string) =>
  text
    .split(",")
    .map((name) => name.trim())
    .filter(Boolean);

const formOf = (typed: Typed): RuleForm => ({
  ...typed,
  machines: namesOf(typed.machines),
  disks: namesOf(typed.disks),
  until: typed.until ? new Date(typed.until).toISOString() : null,
});

interface Props {
  /** The rule that is written anew; none for a new one. */
  rule: Rule | undefined;
  close: () => void;
}

/** A rule as it is typed: what lies how, and whose disks. */
export function RuleEditor({ rule, close }: Props) {
  const [typed, setTyped] = useState(rule ? typedOf(rule) : EMPTY);
  const store = useChange(
    (body: RuleForm) =>
      rule
        ? unwrap(
            api.PUT("/api/balance/rules/{id}/", {
              params: { path: { id: rule.id }, header: { "If-Match": `"${String(rule.number)}"` } },
              body,
            }),
          )
        : unwrap(api.POST("/api/balance/rules/", { body })),
    () => {
      setTyped(EMPTY);
      close();
    },
  );
  const change = (part: Partial<Typed>) => {
    setTyped((before) => ({ ...before, ...part }));
  };
  const of = { form: typed, change, fixed: store.isPending };
  const among = AMONG[typed.kind];
  const off = typed.kind === "off";
  const named =
    typed.name.trim() &&
    (typed.labelled.trim() || typed.machines.trim() || typed.disks.trim()) &&
    (!off || typed.datastore.trim());
  return (
    <Box
      component="form"
      aria-label={rule ? `Change ${rule.name}` : "New rule"}
      sx={CARD}
      onSubmit={(event) => {
        event.preventDefault();
        store.mutate(formOf(typed));
      }}
    >
      <CardHead title={rule ? "Change a rule" : "New rule"}>{null}</CardHead>
      <Box sx={{ display: "grid", gap: 1.5, p: 1.5 }}>
        <TextInput of={of} name="name" label="Name" hint="as findings and plans call it" />
        <Choice
          label="Keep"
          value={typed.kind}
          fixed={store.isPending}
          options={KINDS}
          choose={(kind) => {
            change({ kind, among: kind !== "split" && typed.among === "machines" ? "disks" : typed.among });
          }}
        />
        {among.length > 0 && (
          <Choice
            label="Which disks"
            value={typed.among}
            fixed={store.isPending}
            options={among}
            choose={(among) => {
              change({ among });
            }}
          />
        )}
        {off && <TextInput of={of} name="datastore" label="Which datastore" hint="by name" />}
        {typed.kind === "split" && (
          <Choice
            label="On different"
            value={typed.apart_by}
            fixed={store.isPending}
            options={SITES}
            choose={(apart_by) => {
              change({ apart_by });
            }}
          />
        )}
        <TextInput
          of={of}
          name="labelled"
          label="Of what has the label"
          instead="role=db"
          hint="of disks, or of their machines; what gets it later is in the rule as well"
        />
        <TextInput
          of={of}
          name="machines"
          label="And of the machines"
          instead="db-1, db-2"
          hint="by name, separated by commas"
        />
        <TextInput of={of} name="disks" label="And of single disks" hint="by name, separated by commas" />
        <TextField
          type="datetime-local"
          label="Until"
          value={typed.until}
          disabled={store.isPending}
          helperText="then it ends by itself; empty for good"
          slotProps={{ inputLabel: { shrink: true } }}
          onChange={(event) => {
            change({ until: event.target.value });
          }}
        />
        <ProblemAlert error={store.error} />
        <Box sx={{ display: "flex", gap: 1 }}>
          <Button type="submit" variant="contained" disabled={!named || store.isPending}>
            {rule ? "Store the change" : "Write the rule"}
          </Button>
          {rule && <Button onClick={close}>Leave it</Button>}
        </Box>
      </Box>
    </Box>
  );
}
