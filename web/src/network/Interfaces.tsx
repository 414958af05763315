import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import Typography from "@mui/material/Typography";
import { Fragment } from "react";
import type { Schemas } from "../api/problem";
import { useDraft } from "../lots/useDraft";
import { CsvButton } from "../parts/CsvButton";
import { ProblemAlert } from "../parts/ProblemAlert";
import { useSession } from "../shell/useSession";

type Row = Schemas["StorageInterface"];
type Draft = ReturnType<typeof useDraft>;

interface InterfacesProps {
  cluster: string;
  array: string;
  rows: readonly Row[];
  moreHosts: number;
}

const HEADS = ["Host", "Interface", "State", "Address", "VLAN", "Frames", "Active", "Standby", "Unused"];
const NOWRAP = { whiteSpace: "nowrap" };

/** Names side by side; a line breaks between them, not within one. */
function Names({ names }: { names: readonly string[] }) {
  if (names.length === 0) return "–";
  return names.map((name, n) => (
    <Fragment key={name}>
      <span style={NOWRAP}>
        {name}
        {n < names.length - 1 && ","}
      </span>{" "}
    </Fragment>
  ));
}

/** The hosts' storage interfaces with their uplinks, and the lot that settles what keeps one from the array. */
export function Interfaces({ cluster, array, rows, moreHosts }: InterfacesProps) {
  const draft = useDraft();
  const { data: session } = useSession();
  if (rows.length === 0) return null;
  return (
    <Box sx={{ mt: 2 }}>
      <Box sx={{ display: "flex", alignItems: "center", mb: 1 }}>
        <Typography variant="h2" component="h2" sx={{ flex: 1 }}>
          Storage interfaces
        </Typography>
        <CsvButton
          name={`storage interfaces of ${cluster} for ${array}`}
          heads={HEADS.map((head) => head.toLowerCase())}
          rows={() =>
            rows.map((row) => [
              row.host,
              row.name,
              row.reason || "in order",
              row.address,
              row.vlan,
              row.frame_bytes,
              row.active.join(" "),
              row.standby.join(" "),
              row.unused.join(" "),
            ])
          }
        />
      </Box>
      <ProblemAlert error={draft.error} />
      <Box
        sx={{ overflowX: "auto", background: "var(--card)", border: "1px solid var(--line)" }}
        tabIndex={0}
        role="group"
        aria-label="Storage interfaces of the hosts"
      >
        <Table size="small" aria-label="Storage interfaces">
          <TableHead>
            <TableRow>
              {HEADS.map((head) => (
                <TableCell key={head}>{head}</TableCell>
              ))}
            </TableRow>
          </TableHead>
          <TableBody>
            {rows.map((row) => (
              <Interface
                key={`${row.host} ${row.name}`}
                row={row}
                draft={draft}
                mayChange={session?.may_change ?? false}
              />
            ))}
          </TableBody>
        </Table>
      </Box>
      <Typography color="textSecondary" sx={{ mt: 0.5 }}>
        {moreHosts > 0 && `and ${String(moreHosts)} more hosts; those with a trouble are listed first. `}
        Unused: uplinks that other interfaces of the host have.
      </Typography>
    </Box>
  );
}

function Interface({ row, draft, mayChange }: { row: Row; draft: Draft; mayChange: boolean }) {
  const { fix } = row;
  return (
    <TableRow>
      <TableCell sx={NOWRAP}>{row.host}</TableCell>
      <TableCell sx={NOWRAP}>{row.name}</TableCell>
      <TableCell sx={row.reason ? { color: "var(--buoyText)", minWidth: 170 } : {}}>
        {row.reason ? `▲ ${row.reason}` : "■ in order"}
        {fix && (
          <Button
            size="small"
            variant="outlined"
            sx={{ display: "block", mt: 0.5 }}
            disabled={!mayChange || draft.isPending}
            aria-label={`${fix.action}: ${row.name} on ${row.host}`}
            onClick={() => {
              draft.mutate({ kind: fix.kind, form: fix.form });
            }}
          >
            {fix.action}
          </Button>
        )}
      </TableCell>
      <TableCell className="mono">{row.address || "none"}</TableCell>
      <TableCell className="mono">{row.vlan ?? "–"}</TableCell>
      <TableCell className="mono">{row.frame_bytes ?? "–"}</TableCell>
      <TableCell>
        <Names names={row.active} />
      </TableCell>
      <TableCell>
        <Names names={row.standby} />
      </TableCell>
      <TableCell sx={{ minWidth: 130 }}>
        <Names names={row.unused} />
      </TableCell>
    </TableRow>
  );
}
