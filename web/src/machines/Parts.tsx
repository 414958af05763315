import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { api, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { useDraft } from "../lots/useDraft";
import { CARD, CardHead } from "../parts/CardHead";
import { Moment } from "../parts/Moment";
import { ProblemAlert } from "../parts/ProblemAlert";
import { useChange } from "../parts/useChange";
import { useSession } from "../shell/useSession";
import { PolicySelect } from "./PolicySelect";
import { PolicyState } from "./PolicyState";
import type { Machine } from "./queries";

type State = Schemas["PartState"];
type Scope = "machines" | "files_of" | "snapshots_of";

/** What a policy is given to beside single disks: the whole machine, its own files, its snapshots. */
export function Parts({ machine }: { machine: Machine }) {
  return (
    <Box component="section" aria-label="Policies of the machine" sx={{ ...CARD, mb: 1.5 }}>
      <CardHead title="Policies of the machine">
        <span style={{ color: "var(--mute)", fontSize: 12 }}>
          What is given to a disk of its own, below, counts before all of these.
        </span>
      </CardHead>
      <Box sx={{ display: "flex", gap: 3, flexWrap: "wrap", p: "12px" }}>
        <Given machine={machine} scope="machines" label="Policy of the whole machine" value={machine.given} />
        <Given
          machine={machine}
          scope="files_of"
          label="Policy of its own files"
          value={machine.given_files}
          none="as the machine"
        >
          <Stands state={machine.files} />
          <Files machine={machine} />
        </Given>
        <Given
          machine={machine}
          scope="snapshots_of"
          label="Policy of its snapshots"
          value={machine.given_snapshots}
          none="as each disk"
        >
          <Typography variant="body2" color="textSecondary">
            New ones are kept where it is served.
          </Typography>
        </Given>
      </Box>
    </Box>
  );
}

interface GivenProps {
  machine: Machine;
  scope: Scope;
  label: string;
  value: number | null;
  none?: string;
  children?: React.ReactNode;
}

function Given({ machine, scope, label, value, none = "none", children }: GivenProps) {
  const { data: session } = useSession();
  const give = useChange((policy: number | null) =>
    unwrap(api.POST("/api/policies/given/", { body: { policy, [scope]: [machine.id] } })),
  );
  return (
    <Box sx={{ width: 260, display: "flex", flexDirection: "column", gap: 0.5 }}>
      <PolicySelect
        label={label}
        value={value}
        none={none}
        disabled={!session?.may_change || give.isPending}
        choose={(policy) => {
          give.mutate(policy);
        }}
      />
      {children}
      <ProblemAlert error={give.error} />
    </Box>
  );
}

/** How a part stands to the policy that it has, with the reason. */
export function Stands({ state }: { state: State }) {
  if (!state.policy) return <PolicyState state="" />;
  return (
    <span style={{ display: "inline-flex", flexWrap: "wrap", gap: 6, alignItems: "center" }}>
      <PolicyState state={state.state} />
      <span style={{ color: "var(--mute)", fontSize: 12 }}>
        {state.reason || `${state.policy}, ${state.because}`}
        {state.since && (
          <>
            {" · "}
            <Moment at={state.since} />
          </>
        )}
      </span>
    </span>
  );
}

/** Moves its own files to where their policy is served. */
function Files({ machine }: { machine: Machine }) {
  const { data: session } = useSession();
  const draft = useDraft();
  if (!session?.may_change || machine.files.state !== "out of policy") return null;
  return (
    <>
      <Button
        size="small"
        sx={{ alignSelf: "start" }}
        disabled={draft.isPending}
        onClick={() => {
          draft.mutate({ kind: "move_files", form: { machines: [machine.id] } });
        }}
      >
        Move its files
      </Button>
      <ProblemAlert error={draft.error} />
    </>
  );
}
