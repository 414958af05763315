import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useMemo } from "react";
import { api, queryOptions, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { formatSeconds } from "../parts/format";
import { Mark } from "../parts/Mark";
import { Moment } from "../parts/Moment";
import { ProblemAlert } from "../parts/ProblemAlert";
import type { Column } from "../parts/table/columns";
import { DataTable } from "../parts/table/DataTable";
import { Page } from "../shell/Page";
import { useSession } from "../shell/useSession";
import { ChangeAccount } from "./ChangeAccount";
import { Estate } from "./Estate";
import { ImportLinks } from "./ImportLinks";
import { LinkDevice } from "./LinkDevice";
import { NewPasswords } from "./NewPasswords";
import { ShownCertificate } from "./ShownCertificate";
import { Unlink } from "./Unlink";

type Device = Schemas["DeviceAnswer"];

const keyOf = (device: Device) => String(device.id);

/** Device links: how each device is reached, whether it answers, and linking another. */
export function DevicesPage() {
  const { data: session } = useSession();
  const { data, error } = useQuery(queryOptions("get", "/api/devices/"));
  const mayChange = session?.may_change ?? false;
  const columns = useMemo(() => columnsOf(mayChange), [mayChange]);
  return (
    <Page
      title="Devices"
      stage="attach"
      error={error}
      loading={!data}
      actions={mayChange && data?.some(isLinked) && <NewPasswords />}
    >
      {data && data.length > 0 && (
        <DataTable
          name="Device links"
          title="Device links"
          columns={columns}
          rows={data}
          rowKey={keyOf}
          tall
          empty="No device is linked yet."
        />
      )}
      {mayChange && (
        <>
          <LinkDevice />
          <ImportLinks />
        </>
      )}
      <Estate mayChange={mayChange} />
    </Page>
  );
}

const isLinked = (device: Device) => device.state !== "imported";
const isWell = (device: Device) => device.state === "linked" || device.state === "imported";

const columnsOf = (mayChange: boolean): Column<Device>[] => [
  {
    key: "device",
    head: "Device",
    value: (device) => device.name,
    cell: (device) => (
      <>
        <strong>{device.name}</strong>
        {mayChange && isLinked(device) && (
          <Box sx={{ display: "flex", flexWrap: "wrap", ml: -1.25 }}>
            <ChangeAccount device={device} />
            <NewPasswords device={device.name} />
            <Unlink device={device} />
          </Box>
        )}
      </>
    ),
    sticky: true,
    width: 250,
  },
  {
    key: "kind",
    head: "Kind",
    value: (device) => `${device.kind}${device.cluster && ` of ${device.cluster}`}`,
    width: 150,
  },
  { key: "address", head: "Address", value: (device) => device.url, mono: true, width: 200 },
  {
    key: "state",
    head: "State",
    value: (device) => (isWell(device) ? device.state : device.detail),
    cell: (device) => <State device={device} mayChange={mayChange} />,
    width: 260,
  },
  {
    key: "read_at",
    head: "Read",
    value: (device) => device.read_at,
    cell: (device) => <Moment at={device.read_at} never="never" />,
    width: 110,
  },
  {
    key: "fingerprint",
    head: "Certificate pinned (SHA-256)",
    value: (device) => device.fingerprint,
    cell: (device) => (
      <span title={device.fingerprint} style={{ fontSize: 11, overflowWrap: "anywhere" }}>
        {device.fingerprint}
      </span>
    ),
    mono: true,
    width: 200,
    sortable: false,
  },
];

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

function State({ device, mayChange }: { device: Device; mayChange: boolean }) {
  const imported = device.state === "imported";
  const well = isWell(device);
  return (
    <div style={{ maxWidth: 280, whiteSpace: "normal" }}>
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
      {device.state === "certificate" && mayChange && <PinAgain device={device} />}
    </div>
  );
}

/** A certificate that changed is shown, and pinned once a person has compared it. */
function PinAgain({ device }: { device: Device }) {
  const queries = useQueryClient();
  const shown = useMutation({
    mutationFn: () => unwrap(api.POST("/api/devices/probe/", { body: { url: device.url } })),
  });
  const pin = useMutation({
    mutationFn: (fingerprint: string) =>
      unwrap(api.PUT("/api/devices/{id}/", { params: { path: { id: device.id } }, body: { fingerprint } })),
    onSuccess: () => void queries.invalidateQueries(),
  });
  return (
    <>
      {shown.data ? (
        <>
          <ShownCertificate certificate={shown.data} />
          <Button
            variant="outlined"
            disabled={pin.isPending}
            onClick={() => {
              pin.mutate(shown.data.fingerprint);
            }}
          >
            I compared it: pin
          </Button>
        </>
      ) : (
        <Button
          disabled={shown.isPending}
          onClick={() => {
            shown.mutate();
          }}
        >
          Show the new certificate
        </Button>
      )}
      <ProblemAlert error={shown.error ?? pin.error} />
    </>
  );
}
