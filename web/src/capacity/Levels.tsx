import Box from "@mui/material/Box";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { formatSize } from "../parts/format";
import { ProblemAlert } from "../parts/ProblemAlert";
import { levelsQuery } from "./queries";

const CELL = { padding: "2px 10px", textAlign: "left", borderTop: "1px solid var(--line)" } as const;

/** Every byte from what guests were promised down to the drives, counted in both bases side by side. */
export function Levels({ kind, id }: { kind: string; id: number }) {
  const [open, setOpen] = useState(false);
  const { data, error } = useQuery({ ...levelsQuery(kind, id), enabled: open });
  return (
    <Box
      component="details"
      sx={{ mt: 1, mb: 1 }}
      onToggle={(event: React.SyntheticEvent<HTMLDetailsElement>) => {
        setOpen(event.currentTarget.open);
      }}
    >
      <summary style={{ cursor: "pointer" }}>From guests to drives, in both bases</summary>
      <ProblemAlert error={error} />
      {data && (
        <Box sx={{ overflowX: "auto" }}>
          <table
            aria-label="From guests to drives"
            style={{ borderCollapse: "collapse", marginTop: 6, fontSize: 13 }}
          >
            <thead>
              <tr>
                {["Level", "What", "Base 2", "Base 10"].map((head) => (
                  <th
                    key={head}
                    scope="col"
                    style={{
                      ...CELL,
                      borderTop: 0,
                      color: "var(--mute)",
                      textAlign: head.startsWith("Base") ? "right" : "left",
                    }}
                  >
                    {head}
                  </th>
                ))}
              </tr>
            </thead>
            {data.levels.map((level) => (
              <tbody key={`${level.level} ${level.name}`}>
                {level.facts.map((fact, place) => (
                  <tr key={fact.what}>
                    {place === 0 && (
                      <th
                        scope="rowgroup"
                        rowSpan={level.facts.length}
                        style={{ ...CELL, verticalAlign: "top", fontWeight: 600 }}
                      >
                        {level.name.match(/^\d/) ? level.name : `${level.level} ${level.name}`}
                      </th>
                    )}
                    <td style={CELL}>{fact.what}</td>
                    <td className="mono" style={{ ...CELL, textAlign: "right" }}>
                      {formatSize(fact.size_bytes, "TiB")}
                    </td>
                    <td className="mono" style={{ ...CELL, textAlign: "right" }}>
                      {formatSize(fact.size_bytes, "TB")}
                    </td>
                  </tr>
                ))}
              </tbody>
            ))}
          </table>
        </Box>
      )}
    </Box>
  );
}
