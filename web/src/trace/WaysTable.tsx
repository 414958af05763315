import Box from "@mui/material/Box";
import { Link } from "react-router";
import type { Schemas } from "../api/problem";
import { CsvButton } from "../parts/CsvButton";
import { Panel } from "../parts/Panel";
import { countOf } from "../parts/format";

type Way = Schemas["Way"];

const HEADS = ["Host", "Volume", "Known there as", "Number", "Let in as", "Paths"];
const STATES: Record<string, string> = {
  Optimized: "optimized",
  NonOptimized: "non-optimized",
  Standby: "standby",
};
const numberOf = (way: Way) => (way.number === null ? "" : `${way.number_word} ${String(way.number)}`);

/** Paths by port, and there by access state: which portals each reaches. */
function pathsOf(way: Way): string {
  const byPort = new Map<string, Map<string, string[]>>();
  for (const [port = "", portal = "", state = ""] of way.paths) {
    const states = byPort.get(port) ?? new Map<string, string[]>();
    states.set(state, [...(states.get(state) ?? []), portal]);
    byPort.set(port, states);
  }
  const portals = (states: Map<string, string[]>) =>
    [...states].map(([state, names]) => `${names.join(" ")} ${STATES[state] ?? state}`.trim()).join(", ");
  return [...byPort].map(([port, states]) => `${port}: ${portals(states)}`).join("; ");
}

/** How each host sees the volume, in its own words: device id, number, and every path with its state. */
export function WaysTable({ ways }: { ways: Way[] }) {
  if (ways.length === 0) return null;
  const rows = () =>
    ways.flatMap((way) =>
      way.paths.map((path) => [way.host, way.volume, way.device, numberOf(way), way.initiator, ...path]),
    );
  return (
    <Panel title="As the hosts see it" note={countOf(ways.length, "way")}>
      <Box sx={{ overflowX: "auto" }} tabIndex={0} role="group" aria-label="Ways of the hosts">
        <table style={{ borderCollapse: "collapse", fontSize: 12.5, width: "100%" }}>
          <thead>
            <tr style={{ textAlign: "left", color: "var(--mute)", fontSize: 12 }}>
              {HEADS.map((head) => (
                <th key={head} style={{ fontWeight: 400, padding: "5px 12px" }}>
                  {head}
                </th>
              ))}
              <td style={{ textAlign: "right", padding: "0 12px" }}>
                <CsvButton
                  name="ways"
                  heads={["host", "volume", "device", "number", "let in as", "port", "portal", "state"]}
                  rows={rows}
                />
              </td>
            </tr>
          </thead>
          <tbody>
            {ways.map((way) => (
              <tr
                key={`${String(way.host_id)} ${way.volume} ${way.device}`}
                style={{ borderTop: "1px solid var(--line)", verticalAlign: "top" }}
              >
                <th scope="row" style={{ textAlign: "left", padding: "5px 12px", whiteSpace: "nowrap" }}>
                  <Link to={`/trace/host/${String(way.host_id)}`}>{way.host}</Link>
                </th>
                <td style={{ padding: "5px 12px", whiteSpace: "nowrap" }}>{way.volume}</td>
                <td className="mono" style={{ padding: "5px 12px", overflowWrap: "anywhere" }}>
                  {way.device}
                </td>
                <td style={{ padding: "5px 12px", whiteSpace: "nowrap" }}>{numberOf(way)}</td>
                <td className="mono" style={{ padding: "5px 12px", overflowWrap: "anywhere" }}>
                  {way.initiator}
                </td>
                <td style={{ padding: "5px 12px" }} colSpan={2}>
                  <strong>{way.paths.length}</strong> {pathsOf(way)}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </Box>
    </Panel>
  );
}
