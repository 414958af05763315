import Box from "@mui/material/Box";
import ButtonBase from "@mui/material/ButtonBase";
import { Link } from "react-router";
import type { Schemas } from "../../api/problem";
import { CsvButton } from "../../parts/CsvButton";
import { countOf } from "../../parts/format";
import { Mark, type MarkKind } from "../../parts/Mark";
import { useUnit } from "../../parts/unit";

type Reach = Schemas["ReachAnswer"];
type Cell = Schemas["ReachCell"];

const LOOKS: Record<Cell["state"], { mark: MarkKind; ink: string; ground: string; word: string }> = {
  whole: { mark: "clear", ink: "var(--tide)", ground: "var(--tideSoft)", word: "all paths seen" },
  partial: { mark: "part", ink: "var(--brassText)", ground: "var(--brassSoft)", word: "some paths missing" },
  broken: {
    mark: "over",
    ink: "var(--buoyText)",
    ground: "var(--buoySoft)",
    word: "half of a host's paths missing",
  },
  unused: { mark: "unjudged", ink: "var(--mute)", ground: "var(--card)", word: "not used" },
  apart: { mark: "unjudged", ink: "var(--mute)", ground: "none", word: "out of reach" },
};

interface Props {
  reach: Reach;
  /** Begins a draft for a cluster; null where that cannot be. */
  attach: ((cluster: string) => void) | null;
}

/** Clusters against arrays: the paths seen of those expected, with the worst reason; each cell leads to its paths. */
export function ReachTable({ reach, attach }: Props) {
  const { size } = useUnit();
  const cells = new Map(reach.cells.map((cell) => [`${cell.cluster} ${cell.array}`, cell]));
  return (
    <Box
      component="section"
      aria-label="Reach"
      sx={{
        border: "1px solid var(--line)",
        borderRadius: "6px",
        background: "var(--card)",
        mb: 1.5,
        overflow: "auto",
        position: "relative",
      }}
      tabIndex={0}
      role="region"
    >
      <table
        aria-label="Reach of clusters to arrays"
        style={{
          borderCollapse: "collapse",
          width: "100%",
          fontSize: 13,
          tableLayout: "fixed",
          minWidth: 150 + reach.arrays.length * 190,
        }}
      >
        <thead>
          <tr>
            <th style={{ ...HEAD, width: 150 }}>
              <CsvButton
                name="reach"
                heads={["cluster", "array", "state", "paths_seen", "paths_expected", "why"]}
                rows={() => reach.cells.map((c) => [c.cluster, c.array, c.state, c.seen, c.expected, c.text])}
              />
            </th>
            {reach.arrays.map((array) => (
              <th key={array.name} scope="col" style={HEAD}>
                <Link
                  to={`/trace/array/${String(array.id)}`}
                  style={{ textDecoration: "none", fontWeight: 650 }}
                >
                  {array.name}
                </Link>
                <div style={SMALL}>
                  {array.serves.join(", ")}; {array.protocols.join(", ")}
                </div>
                <div className="mono" style={{ fontSize: 12, fontWeight: 400 }}>
                  {size(array.allocated_bytes)} of {size(array.capacity_bytes)}
                </div>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {reach.clusters.map((cluster) => (
            <tr key={cluster.name} style={{ borderTop: "1px solid var(--line)" }}>
              <th scope="row" style={{ ...HEAD, verticalAlign: "middle" }}>
                {cluster.name}
                <div style={SMALL}>
                  {countOf(cluster.hosts, "host")}, {countOf(cluster.machines, "machine")}
                </div>
              </th>
              {reach.arrays.map((array) => (
                <td key={array.name} style={{ padding: 8, height: 1 }}>
                  <ReachBox cell={cells.get(`${cluster.name} ${array.name}`)} attach={attach} />
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </Box>
  );
}

const HEAD = { padding: "10px 14px", textAlign: "left", verticalAlign: "top" } as const;
const SMALL = { color: "var(--mute)", fontSize: 12, fontWeight: 400 } as const;
const BOX = {
  display: "block",
  height: "100%",
  minHeight: 62,
  borderRadius: "5px",
  p: "7px 11px",
  textDecoration: "none",
  textAlign: "left",
  boxSizing: "border-box",
} as const;

function ReachBox({ cell, attach }: { cell: Cell | undefined; attach: Props["attach"] }) {
  if (!cell) return <Box sx={{ ...BOX, color: "var(--mute)" }}>◇ not judged yet</Box>;
  const look = LOOKS[cell.state];
  const empty = { ...BOX, border: "1px dashed var(--line)", color: "var(--mute)", fontSize: 12.5 };
  if (cell.state === "apart") return <Box sx={empty}>{cell.text}</Box>;
  if (cell.state === "unused") {
    const words = (
      <>
        <Mark kind={look.mark} label={look.word} /> <span className="mono">– of {cell.possible}</span> paths
        <Box component="span" sx={{ display: "block" }}>
          {cell.text}
          {attach && cell.text !== "not granted" && " · attach"}
        </Box>
      </>
    );
    if (!attach || cell.text === "not granted") return <Box sx={empty}>{words}</Box>;
    return (
      <ButtonBase
        aria-label={`Attach storage of ${cell.array} to ${cell.cluster}`}
        onClick={() => {
          attach(cell.cluster);
        }}
        sx={{ ...empty, width: "100%", "&:hover": { borderColor: "var(--ink)" } }}
      >
        {words}
      </ButtonBase>
    );
  }
  const share = cell.seen / Math.max(cell.expected, 1);
  return (
    <Box
      component={Link}
      to={`/attach/paths?${new URLSearchParams({ cluster: cell.cluster, array: cell.array }).toString()}`}
      aria-label={`${cell.cluster} to ${cell.array}: ${String(cell.seen)} of ${String(cell.expected)} paths, ${look.word}${cell.text ? `, ${cell.text}` : ""}`}
      sx={{
        ...BOX,
        background: look.ground,
        border: "1px solid",
        borderColor: look.ink,
        color: "var(--ink)",
      }}
    >
      <Mark kind={look.mark} label="" colour={look.ink} />{" "}
      <strong className="mono">
        {cell.seen} of {cell.expected}
      </strong>{" "}
      <span style={{ color: "var(--mute)" }}>paths</span>
      <Box sx={{ height: 4, background: "var(--track)", my: 0.75, borderRadius: "2px" }}>
        <div style={{ height: 4, width: `${String(share * 100)}%`, background: look.ink, borderRadius: 2 }} />
      </Box>
      <span style={{ fontSize: 12.5, color: look.ink }}>{cell.text}</span>
    </Box>
  );
}
