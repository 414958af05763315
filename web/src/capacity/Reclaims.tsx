import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { useDraft } from "../lots/useDraft";
import { CARD, CardHead } from "../parts/CardHead";
import { countOf } from "../parts/format";
import { ProblemAlert } from "../parts/ProblemAlert";
import { Typed } from "../parts/Typed";
import { useUnit } from "../parts/unit";
import { useSession } from "../shell/useSession";
import { confirmed, type Reclaim, reclaimQuery } from "./queries";

const SHOWN = 8;

/** What takes room and need not: how much, how sure, at which cost, and the lot that brings it back. */
export function Reclaims() {
  const { data, error } = useQuery(reclaimQuery());
  const { size } = useUnit();
  const draft = useDraft();
  const [all, setAll] = useState(false);
  const rows = data?.rows ?? [];
  const total = rows.reduce((sum, row) => sum + row.size_bytes, 0);
  return (
    <Box component="section" aria-label="What can come back" sx={{ ...CARD, mt: 1.5, overflowX: "auto" }}>
      <CardHead title="What can come back">
        <span style={{ color: "var(--mute)", fontSize: 12 }}>
          {rows.length > 0
            ? `${size(total)} in ${countOf(rows.length, "way")}`
            : data && `nothing of: ${data.kinds.join(", ").toLowerCase()}`}
        </span>
      </CardHead>
      <ProblemAlert error={error ?? draft.error} />
      {rows.slice(0, all ? rows.length : SHOWN).map((row) => (
        <Line
          key={`${row.kind} ${row.what}`}
          row={row}
          busy={draft.isPending}
          go={() => {
            if (row.draft) draft.mutate(confirmed(row.draft, row.typed));
          }}
        />
      ))}
      {rows.length > SHOWN && (
        <Button
          size="small"
          sx={{ m: 0.5 }}
          onClick={() => {
            setAll(!all);
          }}
        >
          {all ? "Only the most" : `All ${String(rows.length)}`}
        </Button>
      )}
    </Box>
  );
}

function Line({ row, busy, go }: { row: Reclaim; busy: boolean; go: () => void }) {
  const { size } = useUnit();
  const { data: session } = useSession();
  const [typing, setTyping] = useState(false);
  return (
    <>
      <Box
        sx={{
          display: "grid",
          gridTemplateColumns: "96px minmax(220px, 1.3fr) minmax(120px, 0.7fr) minmax(180px, 1fr) 210px",
          columnGap: 2,
          minWidth: 920,
          alignItems: "center",
          p: "6px 12px",
          borderTop: "1px solid var(--line)",
        }}
      >
        <b className="mono" style={{ textAlign: "right" }}>
          {size(row.size_bytes)}
        </b>
        <span>
          {row.what}
          <span style={{ color: "var(--mute)", fontSize: 12, display: "block" }}>{row.place}</span>
        </span>
        <span style={{ color: "var(--mute)" }}>{row.certainty}</span>
        <span style={{ color: "var(--mute)" }}>{row.cost}</span>
        <Act
          row={row}
          busy={busy}
          may={session?.may_change ?? false}
          go={() => {
            if (row.typed) setTyping(!typing);
            else go();
          }}
        />
      </Box>
      {typing && row.typed && (
        <Typed label={`Type ${row.typed} to say that it is meant`} name={row.typed} act="Draft lot" go={go}>
          Nothing brings it back.
        </Typed>
      )}
    </>
  );
}

/** The lot that brings it back, or the page where that is done. */
function Act({ row, busy, may, go }: { row: Reclaim; busy: boolean; may: boolean; go: () => void }) {
  if (row.draft && may) {
    return (
      <Button variant="outlined" size="small" disabled={busy} onClick={go}>
        {row.draft.action}
      </Button>
    );
  }
  return row.look ? (
    <Button component={Link} to={row.look} size="small" aria-label={`Look at it: ${row.what}`}>
      Look at it
    </Button>
  ) : (
    <span />
  );
}
