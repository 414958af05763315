import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import type { Schemas } from "../api/problem";
import { CsvButton } from "./CsvButton";
import { Mark } from "./Mark";

type Board = Schemas["Board"];

const MARKS = { active: "clear", other: "other", standby: "standby", missing: "missing" } as const;
const WORDS = {
  active: "active",
  other: "other controller",
  standby: "stands by",
  missing: "expected, missing",
} as const;
type PathState = keyof typeof MARKS;

const isState = (text: string): text is PathState => text in MARKS;
const stateOf = (text: string): PathState => (isState(text) ? text : "missing");

/** An address in lines that fit a column: a WWPN in two halves. */
const linesOf = (address: string): string[] =>
  address.length > 16 && address.includes(":") ? [address.slice(0, 12), address.slice(12)] : [address];

/** Hosts as rows, portals as columns, a mark per path, the reason at the row's end. */
export function PathBoard({ board, title }: { board: Board; title: string }) {
  const standby = board.hosts.some((host) => host.paths.some((path) => path.state === "standby"));
  const legend: PathState[] = ["active", "other", ...(standby ? ["standby" as const] : []), "missing"];
  return (
    <Box
      sx={{
        border: "1px solid var(--line)",
        borderRadius: "6px",
        background: "var(--card)",
        overflow: "auto",
      }}
      tabIndex={0}
      role="region"
      aria-label={title}
    >
      <Box
        sx={{
          display: "flex",
          alignItems: "center",
          gap: 2,
          p: "8px 12px",
          borderBottom: "1px solid var(--line)",
        }}
      >
        <Typography variant="h2" component="h2">
          {title}
        </Typography>
        {legend.map((state) => (
          <span
            key={state}
            style={{
              display: "inline-flex",
              gap: 5,
              alignItems: "center",
              fontSize: 12,
              color: "var(--mute)",
            }}
          >
            <Mark kind={MARKS[state]} {...(state === "active" ? { colour: "var(--tide)" } : {})} />{" "}
            {WORDS[state]}
          </span>
        ))}
        <Box sx={{ flex: 1 }} />
        <span className="mono">
          {board.seen} of {board.expected}
        </span>
        <CsvButton
          name="paths"
          heads={["host", "port", "portal", "state", "reason"]}
          rows={() =>
            board.hosts.flatMap((host) =>
              host.paths.map((path) => [host.name, path.port, path.portal, path.state, path.reason]),
            )
          }
        />
      </Box>
      <table style={{ borderCollapse: "collapse", fontSize: 13 }}>
        <thead>
          <tr>
            <th style={{ padding: "6px 12px" }} aria-label="Host" />
            {board.portals.map((portal) => (
              <th
                key={portal.name}
                className="mono"
                style={{
                  padding: "6px 5px",
                  fontSize: 11.5,
                  fontWeight: 500,
                  borderLeft: "1px solid var(--line)",
                  whiteSpace: "nowrap",
                }}
              >
                {portal.name}
                {linesOf(portal.address).map((line) => (
                  <div key={line} style={{ color: "var(--mute)", fontSize: 10 }}>
                    {line}
                  </div>
                ))}
              </th>
            ))}
            <th
              style={{
                padding: "6px 12px",
                textAlign: "left",
                fontWeight: 400,
                color: "var(--mute)",
                width: "100%",
                minWidth: 170,
              }}
            >
              paths
            </th>
          </tr>
        </thead>
        <tbody>
          {board.hosts.map((host) => (
            <tr key={host.name}>
              <th scope="row" style={{ padding: "5px 12px", textAlign: "left", whiteSpace: "nowrap" }}>
                {host.name}
              </th>
              {board.portals.map((portal) => (
                <td
                  key={portal.name}
                  style={{ textAlign: "center", borderLeft: "1px solid var(--line)", padding: "4px 5px" }}
                >
                  {host.paths
                    .filter((path) => path.portal === portal.name)
                    .map((path) => {
                      const state = stateOf(path.state);
                      return (
                        <Mark
                          key={path.port}
                          kind={MARKS[state]}
                          label={`${path.port} to ${portal.name}: ${WORDS[state]}`}
                          {...(state === "active" ? { colour: "var(--tide)" } : {})}
                        />
                      );
                    })}
                </td>
              ))}
              <td
                style={{
                  padding: "5px 12px",
                  fontSize: 12.5,
                  color: host.reason ? "var(--buoyText)" : "var(--mute)",
                }}
              >
                {host.seen} of {host.expected}
                {host.reason && ` · ${host.reason}`}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </Box>
  );
}
