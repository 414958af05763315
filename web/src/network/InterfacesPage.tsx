import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { Link } from "react-router";
import { api, queryOptions, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { DraftPage, DraftRoute } from "../lots/drafts/DraftPage";
import type { Bound } from "../lots/drafts/fields";
import { useDraftForm } from "../lots/drafts/useDraftForm";
import { countOf } from "../parts/format";
import type { Column } from "../parts/table/columns";
import { DataTable } from "../parts/table/DataTable";

type Form = Schemas["InterfaceForm"];
type Plan = Schemas["InterfacePlan"];

/** New storage interfaces with the next free addresses, each of which can be edited. */
export function InterfacesPage() {
  return (
    <DraftRoute
      title="Storage interfaces"
      begin={
        <>
          Begin from a finding under <Link to="/">Rounds</Link>: a host that lacks an interface.
        </>
      }
    >
      {(lot) => <InterfacesDraft key={lot} lot={lot} />}
    </DraftRoute>
  );
}

function InterfacesDraft({ lot }: { lot: number }) {
  const params = { path: { id: lot } };
  const draft = useDraftForm(lot, {
    stored: queryOptions("get", "/api/network/interface-drafts/{id}/", { params }),
    store: (body: Form, seen) =>
      unwrap(api.PUT("/api/network/interface-drafts/{id}/", { params, ...seen, body })),
  });
  const plan = draft.answer?.plan;
  return (
    <DraftPage draft={draft} title={`Storage interfaces for ${plan?.array ?? "an array"}`}>
      {(form) =>
        plan ? (
          <Rows plan={plan} of={{ form, change: draft.change, fixed: draft.fixed }} />
        ) : (
          <Typography>Every host has an interface where its fellows have one: nothing to make.</Typography>
        )
      }
    </DraftPage>
  );
}

function Rows({ plan, of: { form, change, fixed } }: { plan: Plan; of: Bound<Form> }) {
  const columns: Column<Plan["rows"][number]>[] = [
    { key: "host", head: "Host", value: (row) => row.host },
    { key: "interface", head: "Interface", value: (row) => row.name },
    { key: "subnet", head: "Subnet", value: (row) => row.subnet, mono: true },
    {
      key: "address",
      head: "Address",
      value: (row) => form.addresses[row.key] ?? row.address,
      cell: (row) => (
        <TextField
          label={`Address on ${row.host}`}
          value={form.addresses[row.key] ?? row.address}
          disabled={fixed}
          error={row.problem !== ""}
          helperText={row.problem || "the next free one"}
          onChange={(event) => {
            change({ addresses: { ...form.addresses, [row.key]: event.target.value } });
          }}
          sx={{ mt: 0.75 }}
        />
      ),
    },
    { key: "vlan", head: "VLAN", value: (row) => row.vlan, mono: true },
    { key: "frame_bytes", head: "Frames", value: (row) => row.frame_bytes, mono: true },
    { key: "uplink", head: "Uplink", value: (row) => row.uplink },
  ];
  return (
    <DataTable
      name="Interfaces to make"
      title="Interfaces to make"
      note={`${countOf(plan.paths_now, "path")} to ${plan.array} now, ${String(plan.paths_after)} after`}
      columns={columns}
      rows={plan.rows}
      rowKey={(row) => row.key}
      empty="Nothing is to be made."
    />
  );
}
