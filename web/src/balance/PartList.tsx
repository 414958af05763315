import Box from "@mui/material/Box";
import { countOf } from "../parts/format";
import { useUnit } from "../parts/unit";
import { MONO } from "../theme/theme";
import type { GroupPart } from "./queries";

/** The parts of a group: of what kind, whose, what lies beneath, and what each lacks. */
export function PartList({ parts }: { parts: readonly GroupPart[] }) {
  const { size } = useUnit();
  return parts.map((part) => (
    <Box
      key={part.datastores[0]?.id}
      role="group"
      aria-label={part.datastores.map((store) => store.name).join(", ")}
      sx={{ p: "8px 12px", "& + &": { borderTop: "1px solid var(--line)" } }}
    >
      <div>
        <strong>{countOf(part.datastores.length, "datastore")}</strong> {part.called}
        <span style={{ color: "var(--mute)" }}>
          {" · "}
          {size(part.datastores.reduce((sum, store) => sum + store.capacity_bytes, 0))}
          {part.clusters.length > 0 && ` · ${part.clusters.join(" and ")}`}
        </span>
      </div>
      {byPool(part).map(([pool, names]) => (
        <div key={pool} style={{ overflowWrap: "anywhere" }}>
          {pool && <span style={{ color: "var(--mute)" }}>{pool} </span>}
          <span style={{ fontFamily: MONO, fontSize: 12 }}>{names.join(" ")}</span>
        </div>
      ))}
      {part.remarks.map((remark) => (
        <div key={remark} style={{ color: "var(--brassText)" }}>
          ◪ {remark}
        </div>
      ))}
    </Box>
  ));
}

function byPool(part: GroupPart): [string, string[]][] {
  const found = new Map<string, string[]>();
  for (const { pool, name } of part.datastores) found.set(pool, [...(found.get(pool) ?? []), name]);
  return [...found];
}
