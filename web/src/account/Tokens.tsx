import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import TextField from "@mui/material/TextField";
import { useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { api, queryOptions, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { AskedButton } from "../parts/AskedButton";
import { Moment } from "../parts/Moment";
import { ProblemAlert } from "../parts/ProblemAlert";
import type { Column } from "../parts/table/columns";
import { DataTable } from "../parts/table/DataTable";
import { FormCard } from "./FormCard";
import { ShownOnce } from "./ShownOnce";
import { useChange } from "../parts/useChange";

type Token = Schemas["TokenAnswer"];

const keyOf = (row: Token) => String(row.id);
const DAYS_MAX = 366;
const EMPTY = { name: "", days: "90", reads_only: true };

/** What programs sign in with: as their person, or reading only, for a while. */
export function Tokens({ everybodys }: { everybodys: boolean }) {
  const { data, error } = useQuery(queryOptions("get", "/api/tokens/"));
  const columns = useMemo(() => columnsOf(everybodys), [everybodys]);
  return (
    <>
      <NewToken />
      <ProblemAlert error={error} />
      {data && data.length > 0 && (
        <DataTable
          name="Tokens"
          title={everybodys ? "Tokens, everybody's" : "Your tokens"}
          columns={columns}
          rows={data}
          rowKey={keyOf}
          tall
          empty="No program has a token."
        />
      )}
    </>
  );
}

function NewToken() {
  const [fields, setFields] = useState(EMPTY);
  const make = useChange(
    () => unwrap(api.POST("/api/tokens/", { body: { ...fields, days: Number(fields.days) } })),
    () => {
      setFields(EMPTY);
    },
  );
  const days = Number(fields.days);
  const odd = !Number.isInteger(days) || days < 1 || days > DAYS_MAX;
  return (
    <>
      <FormCard
        title="A token for a program"
        act="Make it"
        onAct={() => {
          make.mutate();
        }}
        disabled={make.isPending || !fields.name || odd}
        error={make.error}
      >
        <TextField
          fullWidth={false}
          sx={{ width: 230 }}
          label="Name, as nightly-report"
          autoComplete="off"
          value={fields.name}
          onChange={(event) => {
            setFields({ ...fields, name: event.target.value });
          }}
        />
        <TextField
          fullWidth={false}
          sx={{ width: 150 }}
          label="Days it is good for"
          error={odd}
          helperText={odd && `1 to ${String(DAYS_MAX)} days.`}
          value={fields.days}
          onChange={(event) => {
            setFields({ ...fields, days: event.target.value });
          }}
        />
        <FormControlLabel
          control={
            <Checkbox
              checked={fields.reads_only}
              onChange={(event) => {
                setFields({ ...fields, reads_only: event.target.checked });
              }}
            />
          }
          label="Reads only"
        />
      </FormCard>
      {make.data && (
        <ShownOnce
          text={`The token ${make.data.name}: send it as “Authorization: Bearer …”.`}
          secret={make.data.secret}
          onDone={make.reset}
        />
      )}
    </>
  );
}

const columnsOf = (everybodys: boolean): Column<Token>[] => [
  { key: "name", head: "Token", value: (row) => row.name, width: 200, sticky: true },
  ...(everybodys ? [{ key: "person", head: "Of", value: (row: Token) => row.person, width: 140 }] : []),
  {
    key: "reads_only",
    head: "May",
    value: (row) => (row.reads_only ? "read" : "all that its person may"),
    width: 180,
  },
  {
    key: "expires_at",
    head: "Good until",
    value: (row) => row.expires_at,
    cell: (row) => <Moment at={row.expires_at} />,
    width: 130,
  },
  {
    key: "used_at",
    head: "Last used",
    value: (row) => row.used_at,
    cell: (row) => <Moment at={row.used_at} never="never" />,
    width: 130,
  },
  { key: "end", head: "", value: () => "", cell: (row) => <Revoke row={row} />, screenOnly: true },
];

function Revoke({ row }: { row: Token }) {
  return (
    <AskedButton
      label="Revoke"
      subject={row.name}
      act="Revoke it"
      change={() => unwrap(api.DELETE("/api/tokens/{id}/", { params: { path: { id: row.id } } }))}
    >
      Programs that use it are refused from now on.
    </AskedButton>
  );
}
