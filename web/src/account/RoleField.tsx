import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { api, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { ProblemAlert } from "../parts/ProblemAlert";
import { type Role, ROLES } from "./roles";
import { useChange } from "../parts/useChange";

/** A person's role, changed where it stands; one's own is somebody else's to change. */
export function RoleField({ person, own }: { person: Schemas["PersonAnswer"]; own: boolean }) {
  const change = useChange((role: Role) =>
    unwrap(
      api.PUT("/api/people/{id}/", {
        params: { path: { id: person.id } },
        body: { role, active: person.active },
      }),
    ),
  );
  if (own) return <>{person.role}</>;
  return (
    <>
      <TextField
        select
        size="small"
        aria-label={`Role of ${person.name}`}
        disabled={change.isPending}
        value={person.role}
        slotProps={{ htmlInput: { "aria-label": `Role of ${person.name}` } }}
        onChange={(event) => {
          change.mutate(event.target.value as Role);
        }}
      >
        {Object.keys(ROLES).map((role) => (
          <MenuItem key={role} value={role}>
            {role}
          </MenuItem>
        ))}
      </TextField>
      <ProblemAlert error={change.error} />
    </>
  );
}
