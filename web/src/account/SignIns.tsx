import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { api, queryOptions, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { AskedButton } from "../parts/AskedButton";
import { Moment } from "../parts/Moment";
import { ProblemAlert } from "../parts/ProblemAlert";
import type { Column } from "../parts/table/columns";
import { DataTable } from "../parts/table/DataTable";

type SignIn = Schemas["SignInAnswer"];

const keyOf = (row: SignIn) => String(row.id);

/** Browsers in which one is signed in, or everybody for an administrator. */
export function SignIns({ everybodys }: { everybodys: boolean }) {
  const { data, error } = useQuery(queryOptions("get", "/api/sign-ins/"));
  const columns = useMemo(() => columnsOf(everybodys), [everybodys]);
  return (
    <>
      <ProblemAlert error={error} />
      {data && (
        <DataTable
          name="Signed in"
          title={everybodys ? "Signed in, everybody" : "Where you are signed in"}
          note="Each is signed out when nobody was there for a while, and after 12 hours in all."
          columns={columns}
          rows={data}
          rowKey={keyOf}
          tall
          empty="Nobody is signed in."
        />
      )}
    </>
  );
}

const columnsOf = (everybodys: boolean): Column<SignIn>[] => [
  ...(everybodys
    ? [{ key: "person", head: "Who", value: (row: SignIn) => row.person, width: 140, sticky: true }]
    : []),
  { key: "address", head: "From", value: (row) => row.address, mono: true, width: 150 },
  {
    key: "browser",
    head: "Browser",
    value: (row) => row.browser,
    cell: (row) => <span style={{ overflowWrap: "anywhere", fontSize: 12 }}>{row.browser || "unnamed"}</span>,
  },
  {
    key: "began_at",
    head: "Since",
    value: (row) => row.began_at,
    cell: (row) => <Moment at={row.began_at} />,
    width: 120,
  },
  {
    key: "seen_at",
    head: "Somebody there",
    value: (row) => row.seen_at,
    cell: (row) => (row.this ? "this browser" : <Moment at={row.seen_at} />),
    width: 140,
  },
  {
    key: "end",
    head: "",
    value: () => "",
    cell: (row) => !row.this && <End row={row} />,
    screenOnly: true,
    width: 180,
  },
];

function End({ row }: { row: SignIn }) {
  return (
    <AskedButton
      label="Sign out"
      subject={`${row.person} from ${row.address}`}
      act="Sign it out"
      change={() => unwrap(api.DELETE("/api/sign-ins/{id}/", { params: { path: { id: row.id } } }))}
    >
      That browser asks for the password again; what was typed there stays on its screen.
    </AskedButton>
  );
}
