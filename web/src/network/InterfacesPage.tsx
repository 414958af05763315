import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { Link, useSearchParams } from "react-router";
import { api, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { Panel } from "../parts/Panel";
import { ProblemAlert } from "../parts/ProblemAlert";
import { DraftHead } from "../lots/DraftParts";
import { useTypedForm } from "../lots/useTypedForm";
import { countOf } from "../parts/format";

type Form = Schemas["InterfaceForm"];
type Plan = Schemas["InterfacePlan"];

const HEADS = ["Host", "Interface", "Subnet", "Address", "VLAN", "Frames", "Uplink"];
const CELL = { padding: "6px 12px" } as const;

/** New storage interfaces with the next free addresses, each of which can be edited. */
export function InterfacesPage() {
  const [search] = useSearchParams();
  const id = Number(search.get("lot")) || null;
  if (id) return <InterfacesDraft key={id} id={id} />;
  return (
    <Typography>
      Begin from a finding under <Link to="/">Rounds</Link>: a host that lacks an interface.
    </Typography>
  );
}

const EMPTY: Form = { cluster: "", array: "", addresses: {} };

function InterfacesDraft({ id }: { id: number }) {
  const path = { params: { path: { id } } };
  const { data, error, form, change, head, fixed } = useTypedForm(id, EMPTY, {
    load: () => unwrap(api.GET("/api/network/interface-drafts/{id}/", path)),
    store: (body: Form, seen) =>
      unwrap(api.PUT("/api/network/interface-drafts/{id}/", { ...path, ...seen, body })),
  });
  const plan = data?.plan;
  return (
    <>
      <DraftHead {...head} title={`Storage interfaces for ${plan?.array ?? "an array"}`} />
      <ProblemAlert error={error} />
      {plan && <Rows plan={plan} form={form} fixed={fixed} change={change} />}
      {data && !plan && (
        <Typography>Every host has an interface where its fellows have one: nothing to make.</Typography>
      )}
    </>
  );
}

interface RowsProps {
  plan: Plan;
  form: Form;
  fixed: boolean;
  change: (part: Partial<Form>) => void;
}

function Rows({ plan, form, fixed, change }: RowsProps) {
  return (
    <Panel
      title="Interfaces to make"
      note={`${countOf(plan.paths_now, "path")} to ${plan.array} now, ${String(plan.paths_after)} after`}
    >
      <table style={{ borderCollapse: "collapse", fontSize: 13, width: "100%" }}>
        <thead>
          <tr style={{ textAlign: "left", color: "var(--mute)", fontSize: 12 }}>
            {HEADS.map((head) => (
              <th key={head} style={{ ...CELL, fontWeight: 400 }}>
                {head}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {plan.rows.map((row) => (
            <tr key={row.key} style={{ borderTop: "1px solid var(--line)", verticalAlign: "top" }}>
              <th scope="row" style={{ ...CELL, textAlign: "left" }}>
                {row.host}
              </th>
              <td style={CELL}>{row.name}</td>
              <td className="mono" style={CELL}>
                {row.subnet}
              </td>
              <td style={{ ...CELL, paddingTop: 14 }}>
                <TextField
                  size="small"
                  label={`Address on ${row.host}`}
                  value={form.addresses[row.key] ?? row.address}
                  disabled={fixed}
                  error={row.problem !== ""}
                  helperText={row.problem || "the next free one"}
                  onChange={(event) => {
                    change({ addresses: { ...form.addresses, [row.key]: event.target.value } });
                  }}
                />
              </td>
              <td className="mono" style={CELL}>
                {row.vlan}
              </td>
              <td className="mono" style={CELL}>
                {row.frame_bytes}
              </td>
              <td style={CELL}>{row.uplink}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </Panel>
  );
}
