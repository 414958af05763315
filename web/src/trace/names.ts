/** What each kind of a trace is called, in the plural. */
export const NAMES: Record<string, string> = {
  machine: "Machines",
  disk: "Disks",
  host: "Hosts",
  datastore: "Datastores",
  volume: "Volumes",
  pool: "Pools",
  drive_group: "Drive groups",
  port: "Ports",
  portal: "Portals",
  array: "Arrays",
};
