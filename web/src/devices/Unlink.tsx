import { api, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { AskedButton } from "../parts/AskedButton";

/** Takes a device link away, once it was said what goes with it. */
export function Unlink({ device }: { device: Schemas["DeviceAnswer"] }) {
  return (
    <AskedButton
      label="Unlink"
      subject={device.name}
      act="Unlink it"
      change={() => unwrap(api.DELETE("/api/devices/{id}/", { params: { path: { id: device.id } } }))}
    >
      What only {device.name} told of is forgotten here, with its history. The device stays as it is.
    </AskedButton>
  );
}
