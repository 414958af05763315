import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "react-router";
import { CARD, CardHead } from "../parts/CardHead";
import { FactList } from "../parts/FactList";
import { countOf } from "../parts/format";
import { Labels } from "../parts/Labels";
import { Moment } from "../parts/Moment";
import { useUnit } from "../parts/unit";
import { Page } from "../shell/Page";
import { useSession } from "../shell/useSession";
import { PowerAndMore } from "./Acts";
import { DiskActs } from "./DiskActs";
import { Disks } from "./Disks";
import { Parts } from "./Parts";
import { type Machine, machineQuery } from "./queries";
import { Snapshots } from "./Snapshots";

/** A machine: its disks with what they need and where they lie, its snapshots, and what was done with it. */
export function MachinePage() {
  const id = Number(useParams().id) || 0;
  const { data: machine, error } = useQuery(machineQuery(id));
  const { data: session } = useSession();
  return (
    <Page
      title={machine?.name ?? "Machine"}
      stage="machines"
      error={error}
      loading={!machine}
      note={
        machine && (
          <Typography color="textSecondary">
            {machine.power === "On" ? "on, on" : "off, on"}{" "}
            <Link to={`/trace/host/${String(machine.host_id)}`}>{machine.host}</Link>
            {machine.cluster && ` of ${machine.cluster}`}
          </Typography>
        )
      }
      actions={
        <Button component={Link} to={`/trace/machine/${String(id)}`} variant="outlined">
          Trace
        </Button>
      }
    >
      {machine && (
        <>
          <Facts machine={machine} />
          <Labels kind="machine" id={id} />
          {session?.may_change && <PowerAndMore machine={machine} />}
          <Parts machine={machine} />
          <Disks machine={machine} />
          {session?.may_change && <DiskActs machine={machine} />}
          <Snapshots machine={machine} />
          <LotsOf machine={machine} />
        </>
      )}
    </Page>
  );
}

function Facts({ machine }: { machine: Machine }) {
  const { size } = useUnit();
  const told = machine.processors > 0;
  return (
    <FactList
      facts={[
        ["guest", machine.os],
        ["address", machine.address || "none"],
        ["processors", told ? String(machine.processors) : "not told"],
        ["memory", told ? size(machine.memory_bytes) : "not told"],
        ["disks", size(machine.disks.reduce((sum, disk) => sum + disk.size_bytes, 0))],
        ["its own files on", machine.home || "not told"],
      ]}
    />
  );
}

/** Lots that worked on the machine or its disks. */
function LotsOf({ machine }: { machine: Machine }) {
  return (
    <Box component="section" aria-label="Lots" sx={{ ...CARD, mb: 1.5 }}>
      <CardHead title="Lots">
        <span style={{ color: "var(--mute)", fontSize: 12 }}>
          {machine.lots.length ? countOf(machine.lots.length, "lot") : "none has worked on it yet"}
        </span>
      </CardHead>
      {machine.lots.map((lot) => (
        <Box key={lot.id} sx={{ display: "flex", gap: 1.5, p: "6px 12px" }}>
          <Link to={`/lots/${String(lot.id)}`}>
            Lot {lot.id}: {lot.title}
          </Link>
          <span>{lot.state}</span>
          {lot.at && <Moment at={lot.at} />}
        </Box>
      ))}
    </Box>
  );
}
