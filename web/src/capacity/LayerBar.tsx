import Box from "@mui/material/Box";
import { formatShare } from "../parts/format";
import { useUnit } from "../parts/unit";
import type { Row } from "./queries";
import { drawn } from "./runways";

/** Colour of each layer, by the theme's roles. */
export const LAYERS: Record<string, string> = {
  live: "var(--heat2)",
  snapshots: "var(--heat1)",
  "other files": "var(--heat0)",
  dead: "var(--heat3)",
  // Hatched: it takes room, and nothing is there.
  promised: "repeating-linear-gradient(45deg, var(--heat2) 0 1px, var(--card) 1px 5px)",
  "unused volumes": "var(--heat4)",
  free: "var(--track)",
};

interface Props {
  row: Row;
  /** Bytes that the full width stands for. */
  widest: number;
}

/** What the bytes of a row are, drawn to scale; a bar at its ceiling, a mark at what is subscribed. */
export function LayerBar({ row, widest }: Props) {
  const { size } = useUnit();
  const said = row.layers.map((each) => `${each.layer} ${size(each.size_bytes)}`).join(", ");
  const share = (bytes: number) => `${String(Math.min(100, (100 * bytes) / Math.max(1, widest)))}%`;
  const subscribed = row.subscribed_bytes;
  const over = subscribed !== null && subscribed > row.capacity_bytes;
  return (
    <Box
      role="img"
      aria-label={`${said}; ceiling ${formatShare(row.ceiling)}${subscribed === null ? "" : `; subscribed ${size(subscribed)}`}`}
      title={said}
      sx={{ position: "relative", height: 26 }}
    >
      <Box
        sx={{
          position: "absolute",
          top: 2,
          height: 16,
          width: share(row.capacity_bytes),
          display: "flex",
          background: "var(--track)",
          outline: "1px solid var(--line)",
        }}
      >
        {drawn(row).map((part) => (
          <Box
            key={part.layer}
            sx={{
              width: `${String((100 * part.bytes) / Math.max(1, row.capacity_bytes))}%`,
              background: LAYERS[part.layer] ?? "var(--mute)",
              borderRight: "1px solid var(--card)",
            }}
          />
        ))}
      </Box>
      <Box
        sx={{
          position: "absolute",
          top: 0,
          height: 20,
          left: share(row.ceiling * row.capacity_bytes),
          borderLeft: "2px solid var(--ink)",
        }}
      />
      {subscribed !== null && (
        <Box
          sx={{
            position: "absolute",
            top: 17,
            left: share(subscribed),
            transform: "translateX(-50%)",
            fontSize: 8,
            lineHeight: "9px",
            color: over ? "var(--buoyText)" : "var(--mute)",
          }}
        >
          ▲
        </Box>
      )}
    </Box>
  );
}

/** What the colours and marks of layer bars mean. */
export function LayerKey() {
  return (
    <Box sx={{ display: "flex", gap: 1.5, flexWrap: "wrap", fontSize: 12, color: "var(--mute)" }}>
      {Object.entries(LAYERS).map(([layer, colour]) => (
        <span key={layer} style={{ display: "inline-flex", gap: 5, alignItems: "center" }}>
          <span
            aria-hidden
            style={{ width: 12, height: 10, background: colour, outline: "1px solid var(--line)" }}
          />
          {layer}
        </span>
      ))}
      <span>
        <span aria-hidden>┃</span> fill ceiling
      </span>
      <span>
        <span aria-hidden>▲</span> subscribed
      </span>
    </Box>
  );
}
