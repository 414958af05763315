import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useSearchParams } from "react-router";
import { countOf } from "../parts/format";
import { Page } from "../shell/Page";
import { useSession } from "../shell/useSession";
import { ChosenPolicy, CopiedPolicy, NewPolicy } from "./ChosenPolicy";
import { FitBoard, FitLegend } from "./FitBoard";
import { FromFile } from "./FromFile";
import { type Board, type Cell, policiesQuery } from "./queries";
import { SettleGroups } from "./SettleGroups";
import { Why } from "./Why";

/** Policies: what disks need, where it is served, which disks are not where they should be. */
export function PoliciesPage() {
  const [search, setSearch] = useSearchParams();
  const { data: session } = useSession();
  const { data: board, error } = useQuery(policiesQuery());
  const [typed, setTyped] = useState<readonly Cell[] | null>(null);
  const mayChange = session?.may_change ?? false;
  const made = search.get("policy") === "new";
  const read = search.get("policy") === "file";
  const id = Number(search.get("policy")) || 0;
  const store = Number(search.get("store")) || 0;
  // One that was made a moment ago is not on the board yet.
  const chosen = made || read ? 0 : id || (board?.policies[0]?.id ?? 0);
  const go = (next: Record<string, string>) => {
    setTyped(null);
    setSearch(next, { replace: true });
  };
  const out = board?.policies.reduce((sum, policy) => sum + policy.out, 0) ?? 0;
  return (
    <Page
      title="Policies"
      stage="policies"
      error={error}
      loading={!board}
      note={
        board && (
          <Typography color="textSecondary">
            {countOf(board.policies.length, "policy", "policies")} · {board.with_policy} of{" "}
            {countOf(board.disks, "disk")} have one
          </Typography>
        )
      }
      actions={
        <>
          <Button component="a" href="/api/policies/export/">
            YAML
          </Button>
          {mayChange && (
            <Button
              onClick={() => {
                go({ policy: "file" });
              }}
            >
              From a file
            </Button>
          )}
          {mayChange && (
            <Button
              variant="outlined"
              onClick={() => {
                go({ policy: "new" });
              }}
            >
              New policy
            </Button>
          )}
        </>
      }
    >
      {board && (
        <Box sx={{ display: "grid", gap: 1.5, minWidth: 0 }}>
          <Box sx={{ display: "flex", gap: 2, flexWrap: "wrap", alignItems: "baseline" }}>
            <Box role="status" sx={{ color: out ? "var(--buoyText)" : "var(--mute)", mr: "auto" }}>
              {out ? `▲ ${countOf(out, "disk")} out of policy` : "■ no disk is out of policy"}
            </Box>
            <FitLegend />
          </Box>
          {mayChange && <SettleGroups plans={board.settling} />}
          {board.policies.length > 0 ? (
            <FitBoard
              board={board}
              chosen={{ id: chosen, cells: typed }}
              onChoose={(policy) => {
                go({ policy: String(policy) });
              }}
              onCell={(policy, place) => {
                go({ policy: String(policy), store: String(place) });
              }}
            />
          ) : (
            <Typography>
              No policy yet. Make one: say what disks need, and see at once which datastores serve it.
            </Typography>
          )}
          {chosen > 0 && store > 0 && <Why policy={chosen} store={store} />}
          {chosen > 0 && (
            <ChosenPolicy key={chosen} id={chosen} board={board} fixed={!mayChange} onCells={setTyped} />
          )}
          {read && mayChange && <FromFile />}
          {chosen === 0 && !read && mayChange && (made || board.policies.length === 0) && (
            <Begun
              from={Number(search.get("from")) || 0}
              board={board}
              onMade={(policy) => {
                go({ policy: String(policy) });
              }}
            />
          )}
        </Box>
      )}
    </Page>
  );
}

interface BegunProps {
  /** The policy that it is a copy of; 0 for none. */
  from: number;
  board: Board;
  onMade: (policy: number) => void;
}

/** A new policy: empty, or a copy of another one. */
function Begun({ from, ...rest }: BegunProps) {
  return from ? <CopiedPolicy key={from} from={from} {...rest} /> : <NewPolicy {...rest} />;
}
