import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { formatMoment, formatSeconds } from "../parts/format";
import { Mark } from "../parts/Mark";
import { ProblemAlert } from "../parts/ProblemAlert";
import { useNow } from "../parts/useNow";
import { useSession } from "../shell/useSession";
import { Estate } from "./Estate";
import { ImportLinks } from "./ImportLinks";
import { LinkDevice } from "./LinkDevice";
import { ShownCertificate } from "./ShownCertificate";
import { Unlink } from "./Unlink";

type Device = Schemas["DeviceAnswer"];

/** Device links: how each device is reached, whether it answers, and linking another. */
export function DevicesPage() {
  const { data: session } = useSession();
  const devices = useQuery({
    queryKey: ["devices"],
    queryFn: () => unwrap(api.GET("/api/devices/")),
    refetchInterval: 10_000,
  });
  return (
    <>
      <Typography variant="h1" sx={{ mb: 1.5 }}>
        Devices
      </Typography>
      <ProblemAlert error={devices.error} />
      {devices.data && devices.data.length > 0 && (
        <Table
          size="small"
          aria-label="Device links"
          sx={{ background: "var(--card)", border: "1px solid var(--line)", mb: 2 }}
        >
          <TableHead>
            <TableRow>
              {["Device", "Kind", "Address", "State", "Read", "Certificate pinned (SHA-256)"].map((head) => (
                <TableCell key={head}>{head}</TableCell>
              ))}
            </TableRow>
          </TableHead>
          <TableBody>
            {devices.data.map((device) => (
              <DeviceRow key={device.id} device={device} mayChange={session?.may_change ?? false} />
            ))}
          </TableBody>
        </Table>
      )}
      {session?.may_change && (
        <>
          <LinkDevice />
          <ImportLinks />
        </>
      )}
      <Estate mayChange={session?.may_change ?? false} />
    </>
  );
}

/** How far a clock is off, and which way. */
function clockText(offset: number): string {
  return `clock ${formatSeconds(Math.abs(offset))} ${offset > 0 ? "ahead" : "behind"}; set its time source`;
}

function Capabilities({ device }: { device: Device }) {
  if (device.capabilities.length === 0) return null;
  const able = device.capabilities.filter((capability) => capability.has).length;
  return (
    <details style={{ marginTop: 4 }}>
      <summary style={{ cursor: "pointer", color: "var(--mute)" }}>
        can do {able} of {device.capabilities.length}
      </summary>
      <ul
        aria-label={`What ${device.name} can do`}
        style={{ margin: "4px 0", padding: 0, listStyle: "none" }}
      >
        {device.capabilities.map((capability) => (
          <li key={capability.name}>
            <Mark kind={capability.has ? "clear" : "unjudged"} label={capability.has ? "can" : "cannot"} />{" "}
            {capability.name}
            {capability.detail && `: ${capability.detail}`}
          </li>
        ))}
      </ul>
    </details>
  );
}

function DeviceRow({ device, mayChange }: { device: Device; mayChange: boolean }) {
  const now = useNow(1000);
  const queries = useQueryClient();
  const shown = useMutation({
    mutationFn: () => unwrap(api.POST("/api/devices/probe/", { body: { url: device.url } })),
  });
  const pin = useMutation({
    mutationFn: (fingerprint: string) =>
      unwrap(api.PUT("/api/devices/{id}/", { params: { path: { id: device.id } }, body: { fingerprint } })),
    onSuccess: () => void queries.invalidateQueries(),
  });
  const imported = device.state === "imported";
  const well = device.state === "linked" || imported;
  return (
    <TableRow>
      <TableCell sx={{ whiteSpace: "nowrap" }}>
        <strong>{device.name}</strong>
        {mayChange && !imported && <Unlink device={device} />}
      </TableCell>
      <TableCell>
        {device.kind}
        {device.cluster && ` of ${device.cluster}`}
      </TableCell>
      <TableCell className="mono">{device.url}</TableCell>
      <TableCell sx={{ maxWidth: 260 }}>
        <Box sx={{ display: "flex", gap: 0.75 }}>
          <Mark
            kind={imported ? "other" : well ? "clear" : "over"}
            label={imported ? "imported" : well ? "answers" : "trouble"}
          />{" "}
          {imported ? "known from a file; people carry its lots out" : well ? "answers" : device.detail}
        </Box>
        {device.clock_off && (
          <Box sx={{ display: "flex", gap: 0.75, mt: 0.5 }}>
            <Mark kind="part" label="clock is off" /> {clockText(device.clock_offset_seconds ?? 0)}
          </Box>
        )}
        <Capabilities device={device} />
        {device.state === "certificate" && mayChange && !shown.data && (
          <Button
            onClick={() => {
              shown.mutate();
            }}
          >
            Show the new certificate
          </Button>
        )}
        {shown.data && (
          <>
            <ShownCertificate certificate={shown.data} />
            <Button
              variant="outlined"
              onClick={() => {
                pin.mutate(shown.data.fingerprint);
              }}
            >
              I compared it: pin
            </Button>
          </>
        )}
        <ProblemAlert error={shown.error ?? pin.error} />
      </TableCell>
      <TableCell sx={{ whiteSpace: "nowrap" }}>
        {device.read_at ? formatMoment(device.read_at, now) : "never"}
      </TableCell>
      <TableCell
        className="mono"
        sx={{ fontSize: "11px !important", overflowWrap: "anywhere", maxWidth: 260 }}
      >
        {device.fingerprint}
      </TableCell>
    </TableRow>
  );
}
