import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { api, queryOptions, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { Moment } from "../parts/Moment";
import type { Column } from "../parts/table/columns";
import { DataTable } from "../parts/table/DataTable";
import { Page } from "../shell/Page";
import { useSession } from "../shell/useSession";
import { FormCard } from "./FormCard";
import { PersonActs } from "./PersonActs";
import { RoleField } from "./RoleField";
import { ShownOnce } from "./ShownOnce";
import { useChange } from "../parts/useChange";
import { type Role, ROLES } from "./roles";

type Person = Schemas["PersonAnswer"];
type Invited = Schemas["InvitedAnswer"];

const keyOf = (person: Person) => String(person.id);
const EMPTY: { username: string; role: Role } = { username: "", role: "auditor" };

/** Who may sign in and what for: for administrators. */
export function PeoplePage() {
  const { data: session } = useSession();
  const administers = session?.administers ?? false;
  const { data, error } = useQuery({ ...queryOptions("get", "/api/people/"), enabled: administers });
  const [invited, setInvited] = useState<Invited | null>(null);
  const columns = useMemo(() => columnsOf(session?.name ?? "", setInvited), [session?.name]);
  if (!administers) return <Page title="People">This is for administrators.</Page>;
  return (
    <Page title="People" error={error} loading={!data}>
      <Invite onInvited={setInvited} />
      {invited && (
        <ShownOnce
          text={`Give this link to ${invited.person.name}: a password is chosen there. It works once, for seven days.`}
          secret={`${window.location.origin}${invited.link}`}
          onDone={() => {
            setInvited(null);
          }}
        />
      )}
      <DataTable
        name="People"
        title="People"
        columns={columns}
        rows={data ?? []}
        rowKey={keyOf}
        tall
        empty="Nobody is known yet."
      />
    </Page>
  );
}

function Invite({ onInvited }: { onInvited: (invited: Invited) => void }) {
  const [fields, setFields] = useState(EMPTY);
  const invite = useChange(
    () => unwrap(api.POST("/api/people/", { body: fields })),
    (made) => {
      setFields(EMPTY);
      onInvited(made);
    },
  );
  return (
    <FormCard
      title="Let somebody in"
      act="Make a link for them"
      onAct={() => {
        invite.mutate();
      }}
      disabled={invite.isPending || !fields.username}
      error={invite.error}
    >
      <TextField
        fullWidth={false}
        sx={{ width: 230 }}
        label="Name, as ines.marrow"
        autoComplete="off"
        value={fields.username}
        onChange={(event) => {
          setFields({ ...fields, username: event.target.value });
        }}
      />
      <TextField
        fullWidth={false}
        sx={{ width: 200 }}
        select
        label="Role"
        value={fields.role}
        helperText={ROLES[fields.role]}
        onChange={(event) => {
          setFields({ ...fields, role: event.target.value as Role });
        }}
      >
        {Object.keys(ROLES).map((role) => (
          <MenuItem key={role} value={role}>
            {role}
          </MenuItem>
        ))}
      </TextField>
    </FormCard>
  );
}

function stateOf(person: Person): string {
  if (!person.active) return "kept out";
  if (person.invited) return "has a link, not used yet";
  return person.locked ? "locked after failed sign-ins" : "may sign in";
}

const columnsOf = (own: string, onInvited: (invited: Invited) => void): Column<Person>[] => [
  { key: "name", head: "Name", value: (person) => person.name, width: 170, sticky: true },
  {
    key: "role",
    head: "Role",
    value: (person) => person.role,
    cell: (person) => <RoleField person={person} own={person.name === own} />,
    width: 220,
  },
  { key: "state", head: "State", value: stateOf, width: 190 },
  {
    key: "seen_at",
    head: "Last here",
    value: (person) => person.seen_at,
    cell: (person) => <Moment at={person.seen_at} never="never" />,
    width: 120,
  },
  {
    key: "acts",
    head: "",
    value: () => "",
    cell: (person) => <PersonActs person={person} own={person.name === own} onInvited={onInvited} />,
    screenOnly: true,
    sortable: false,
  },
];
