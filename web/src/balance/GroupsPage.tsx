import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, unwrap } from "../api/client";
import { AskedButton } from "../parts/AskedButton";
import { CARD, CardHead } from "../parts/CardHead";
import { countOf } from "../parts/format";
import { Moment } from "../parts/Moment";
import { Page } from "../shell/Page";
import { useSession } from "../shell/useSession";
import { GroupEditor } from "./GroupEditor";
import { Held, HeldStore } from "./Held";
import { MembersEffect } from "./MembersEffect";
import { PartList } from "./PartList";
import { type AllMembers, type GroupMembers, membersQuery, type MemberStore } from "./queries";

const NONE_CHOSEN: ReadonlySet<number> = new Set();

/** All balance groups: who trades with whom in each, making them, changing and retiring them. */
export function GroupsPage() {
  const { data, error } = useQuery(membersQuery());
  const { data: session } = useSession();
  const [edited, setEdited] = useState<number | null>(null);
  const [chosen, setChosen] = useState<ReadonlySet<number>>(NONE_CHOSEN);
  const mayChange = session?.may_change ?? false;
  const group = data?.groups.find((each) => each.id === edited);
  const edit = (other: GroupMembers) => {
    setEdited(other.id);
    setChosen(new Set(other.parts.flatMap((part) => part.datastores.map((store) => store.id))));
  };
  return (
    <Page title="Groups" stage="balance" error={error} loading={!data} note={data && <Count all={data} />}>
      {data && (
        <Box
          sx={{
            display: "grid",
            gridTemplateColumns: mayChange ? { xs: "1fr", md: "400px 1fr" } : "1fr",
            gap: 2,
            alignItems: "start",
          }}
        >
          {mayChange && (
            <GroupEditor
              key={group ? `${String(group.id)} ${String(group.number)}` : "new"}
              group={group}
              all={data}
              chosen={chosen}
              choose={setChosen}
              close={() => {
                setEdited(null);
                setChosen(NONE_CHOSEN);
              }}
            />
          )}
          <Box sx={{ display: "grid", gap: 2 }}>
            {chosen.size > 0 && <MembersEffect group={group?.name ?? ""} chosen={chosen} />}
            {data.groups.length === 0 && <None />}
            {data.groups.map((each) => (
              <GroupCard key={each.id} group={each} mayChange={mayChange} edit={edit} />
            ))}
            {data.alone.length > 0 && <Alone stores={data.alone} mayChange={mayChange} />}
          </Box>
        </Box>
      )}
    </Page>
  );
}

function Count({ all }: { all: AllMembers }) {
  return (
    <Typography color="textSecondary">
      {countOf(all.groups.length, "group")}
      {all.alone.length > 0 && ` · ${countOf(all.alone.length, "datastore")} in none`}
    </Typography>
  );
}

function None() {
  return (
    <Typography color="textSecondary">
      There is no group. Tick datastores that may trade disks: Move Lot then says which of them are over a
      ceiling, and what to move where.
    </Typography>
  );
}

interface CardProps {
  group: GroupMembers;
  mayChange: boolean;
  edit: (group: GroupMembers) => void;
}

function GroupCard({ group, mayChange, edit }: CardProps) {
  return (
    <Box component="section" aria-label={`Group ${group.name}`} sx={CARD}>
      <CardHead title={<Link to={`/balance/${encodeURIComponent(group.name)}`}>{group.name}</Link>}>
        <Joins group={group} />
        <Box sx={{ flex: 1 }} />
        {mayChange && (
          <>
            <Button
              size="small"
              aria-label={`Change ${group.name}`}
              onClick={() => {
                edit(group);
              }}
            >
              Change
            </Button>
            <AskedButton
              label="Retire"
              subject={group.name}
              act="Retire it"
              change={() =>
                unwrap(
                  api.DELETE("/api/balance/groups/{name}/", {
                    params: {
                      path: { name: group.name },
                      header: { "If-Match": `"${String(group.number)}"` },
                    },
                  }),
                )
              }
            >
              Its datastores stay as they are; no plan moves disks between them any more.
              {group.lost_rules.length > 0 && ` Nobody looks after ${group.lost_rules.join(", ")}.`}
            </AskedButton>
          </>
        )}
      </CardHead>
      {group.parts.length === 0 && (
        <Typography color="textSecondary" sx={{ p: 1.5 }}>
          It has no datastores: there is nothing to balance.
        </Typography>
      )}
      {group.parts.length > 1 && (
        <Typography color="textSecondary" sx={{ p: "8px 12px 0" }}>
          {countOf(group.parts.length, "part")} that trade apart: disks stay on storage of their kind that all
          their hosts mount.
        </Typography>
      )}
      <PartList parts={group.parts} />
      <Held group={group} mayChange={mayChange} />
    </Box>
  );
}

function Joins({ group }: { group: GroupMembers }) {
  return (
    <span style={{ color: "var(--mute)", fontSize: 12 }}>
      {group.joins ? `new datastores of ${group.joins} join by themselves` : "only people add datastores"}
      {group.at && (
        <>
          {` · changed by ${group.by}, `}
          <Moment at={group.at} />
        </>
      )}
    </span>
  );
}

function Alone({ stores, mayChange }: { stores: readonly MemberStore[]; mayChange: boolean }) {
  return (
    <Box component="section" aria-label="In no group" sx={CARD}>
      <CardHead title="In no group">
        <span style={{ color: "var(--mute)", fontSize: 12 }}>no plan moves disks off them or onto them</span>
      </CardHead>
      <Typography sx={{ p: 1.5, overflowWrap: "anywhere" }}>
        {stores.map((store) => store.name).join(", ")}
      </Typography>
      {stores
        .filter((store) => store.held_by)
        .map((store) => (
          <Box key={store.id} sx={{ p: "0 12px 8px" }}>
            <HeldStore group="" store={store} mayChange={mayChange} />
          </Box>
        ))}
    </Box>
  );
}
