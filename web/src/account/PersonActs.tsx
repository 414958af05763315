import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { api, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { AskedButton } from "../parts/AskedButton";
import { ProblemAlert } from "../parts/ProblemAlert";
import type { Role } from "./roles";
import { useChange } from "../parts/useChange";

interface Props {
  person: Schemas["PersonAnswer"];
  own: boolean;
  onInvited: (invited: Schemas["InvitedAnswer"]) => void;
}

/** What an administrator does about a person: a new link, unlock, keep out, let in again. */
export function PersonActs({ person, own, onInvited }: Props) {
  const path = { params: { path: { id: person.id } } };
  const unlock = useChange(() => unwrap(api.DELETE("/api/people/{id}/lock/", path)));
  const keep = (active: boolean) =>
    unwrap(api.PUT("/api/people/{id}/", { ...path, body: { role: person.role as Role, active } }));
  const letIn = useChange(() => keep(true));
  if (own) return null;
  return (
    <Box sx={{ display: "flex", flexWrap: "wrap", gap: 0.5, alignItems: "flex-start" }}>
      {person.locked && (
        <Button
          size="small"
          disabled={unlock.isPending}
          onClick={() => {
            unlock.mutate();
          }}
        >
          Unlock
        </Button>
      )}
      {person.active ? (
        <>
          <AskedButton
            label="New link"
            subject={`for ${person.name}`}
            act="Make the link"
            change={() => unwrap(api.POST("/api/people/{id}/link/", path))}
            onMade={onInvited}
          >
            The old password counts no more from now on, and all browsers are signed out.
          </AskedButton>
          <AskedButton label="Keep out" subject={person.name} act="Keep them out" change={() => keep(false)}>
            Signed out everywhere at once; tokens are revoked. Lots and trail keep the name.
          </AskedButton>
        </>
      ) : (
        <Button
          size="small"
          disabled={letIn.isPending}
          onClick={() => {
            letIn.mutate();
          }}
        >
          Let in again
        </Button>
      )}
      <ProblemAlert error={unlock.error ?? letIn.error} />
    </Box>
  );
}
