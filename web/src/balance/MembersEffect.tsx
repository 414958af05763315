import Box from "@mui/material/Box";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { CARD, CardHead } from "../parts/CardHead";
import { countOf } from "../parts/format";
import { ProblemAlert } from "../parts/ProblemAlert";
import { PartList } from "./PartList";
import { membersEffectQuery } from "./queries";

interface Props {
  /** The group's name; empty for a new one. */
  group: string;
  chosen: ReadonlySet<number>;
}

/** What a choice of datastores would mean, said before anything is stored. */
export function MembersEffect({ group, chosen }: Props) {
  const ids = [...chosen].sort((a, b) => a - b).join(",");
  const { data, error } = useQuery({ ...membersEffectQuery(group, ids), placeholderData: keepPreviousData });
  if (error) return <ProblemAlert error={error} />;
  if (!data) return null;
  return (
    <Box
      component="section"
      role="status"
      aria-label="What it would be"
      sx={{ ...CARD, borderColor: "var(--tide)" }}
    >
      <CardHead title={group ? `${group} as ticked` : "The new group as ticked"}>
        <span style={{ color: "var(--mute)", fontSize: 12 }}>
          {data.parts.length > 1 && `${countOf(data.parts.length, "part")} that trade apart · `}
          nothing is stored yet
        </span>
      </CardHead>
      {data.changes.map((text) => (
        <div key={text} style={{ padding: "6px 12px 0" }}>
          ◪ {text}
        </div>
      ))}
      <PartList parts={data.parts} />
    </Box>
  );
}
