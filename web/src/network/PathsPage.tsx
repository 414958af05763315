import Box from "@mui/material/Box";
import MenuItem from "@mui/material/MenuItem";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { Link, useSearchParams } from "react-router";
import { api, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { CsvButton } from "../parts/CsvButton";
import { ProblemAlert } from "../parts/ProblemAlert";
import { Interfaces } from "./Interfaces";
import { PathBoard } from "../parts/PathBoard";
import { Sessions } from "./Sessions";
import { ZoneChanges } from "./ZoneChanges";

type Paths = Schemas["PathsAnswer"];
type Choice = "cluster" | "array" | "volume";

/** Paths as last read: a cluster's hosts against an array's portals, and what they hang on alone. */
export function PathsPage() {
  const [search, setSearch] = useSearchParams();
  const query = Object.fromEntries(search);
  const paths = useQuery({
    queryKey: ["paths", query],
    queryFn: () => unwrap(api.GET("/api/network/paths/", { params: { query } })),
    placeholderData: keepPreviousData,
    refetchInterval: 20_000,
  });
  const choose = (name: Choice, value: string) => {
    const next = new URLSearchParams(search);
    // Another cluster or array has other volumes.
    next.delete("volume");
    if (value) next.set(name, value);
    setSearch(next);
  };
  if (!paths.data) return <ProblemAlert error={paths.error} />;
  const data = paths.data;
  const missing = data.board.expected - data.board.seen;
  return (
    <>
      <Box sx={{ display: "flex", alignItems: "center", gap: 1.5, mb: 1.5, flexWrap: "wrap" }}>
        <Typography variant="h1">Paths</Typography>
        <Choose
          label="Cluster"
          value={data.cluster}
          options={data.clusters}
          choose={(v) => {
            choose("cluster", v);
          }}
        />
        <Choose
          label="Array"
          value={data.array}
          options={data.arrays}
          choose={(v) => {
            choose("array", v);
          }}
        />
        <TextField
          select
          label="Volume"
          value={data.volume === null ? "" : String(data.volume)}
          onChange={(event) => {
            choose("volume", event.target.value);
          }}
          slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
          sx={{ width: 170 }}
        >
          <MenuItem value="">all volumes</MenuItem>
          {data.volumes.map((volume) => (
            <MenuItem key={volume.id} value={String(volume.id)}>
              {volume.name}
            </MenuItem>
          ))}
        </TextField>
        <Typography sx={{ color: missing ? "var(--buoyText)" : "var(--mute)" }} role="status">
          {missing
            ? `□ ${String(missing)} of ${String(data.board.expected)} paths are missing`
            : "■ every path is there"}
        </Typography>
      </Box>
      <ProblemAlert error={paths.error} />
      <PathBoard board={data.board} title={`Paths of ${data.cluster} to ${data.array}`} />
      {data.more_hosts > 0 && (
        <Typography color="textSecondary" sx={{ mt: 0.75 }}>
          and {data.more_hosts} more hosts; those that miss paths are listed first
        </Typography>
      )}
      <ZoneChanges zones={data.zones} />
      <WeakPoints data={data} />
      <Interfaces
        cluster={data.cluster}
        array={data.array}
        rows={data.interfaces}
        moreHosts={data.more_interface_hosts}
      />
      <Sessions cluster={data.cluster} array={data.array} rows={data.sessions} />
    </>
  );
}

interface ChooseProps {
  label: string;
  value: string;
  options: readonly string[];
  choose: (value: string) => void;
}

function Choose({ label, value, options, choose }: ChooseProps) {
  return (
    <TextField
      select
      label={label}
      value={value}
      onChange={(event) => {
        choose(event.target.value);
      }}
      sx={{ width: 140 }}
    >
      {options.map((option) => (
        <MenuItem key={option} value={option}>
          {option}
        </MenuItem>
      ))}
    </TextField>
  );
}

const NAMED = 6;
const named = (names: readonly string[]): string =>
  names.slice(0, NAMED).join(", ") +
  (names.length > NAMED ? ` and ${String(names.length - NAMED)} more` : "");

function WeakPoints({ data }: { data: Paths }) {
  if (data.points.length === 0) {
    return (
      <Typography sx={{ mt: 1.5 }}>
        ■ No single port, uplink, switch, subnet, fabric, portal or controller can take a volume from a host.
      </Typography>
    );
  }
  return (
    <Box sx={{ mt: 2 }}>
      <Box sx={{ display: "flex", alignItems: "center", mb: 1 }}>
        <Typography variant="h2" component="h2" sx={{ flex: 1 }}>
          Single points of failure
        </Typography>
        <CsvButton
          name={`single points of ${data.cluster} and ${data.array}`}
          heads={["kind", "component", "hosts", "volumes"]}
          rows={() =>
            data.points.map((point) => [
              point.kind,
              point.component,
              point.hosts.join(" "),
              point.volumes.join(" "),
            ])
          }
        />
      </Box>
      <Table
        size="small"
        aria-label="Single points of failure"
        sx={{ background: "var(--card)", border: "1px solid var(--line)" }}
      >
        <TableHead>
          <TableRow>
            {["If this is lost", "these hosts lose", "these volumes"].map((head) => (
              <TableCell key={head}>{head}</TableCell>
            ))}
          </TableRow>
        </TableHead>
        <TableBody>
          {data.points.map((point) => (
            <TableRow key={`${point.kind} ${point.component}`}>
              <TableCell>
                <Link
                  to={`/attach/loss?${new URLSearchParams({ kind: point.kind, name: point.component }).toString()}`}
                >
                  {point.kind} {point.component}
                </Link>
              </TableCell>
              <TableCell>{named(point.hosts)}</TableCell>
              <TableCell>{named(point.volumes)}</TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </Box>
  );
}
