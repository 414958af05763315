import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import { Link } from "react-router";
import { api, unwrap } from "../api/client";
import { Choice } from "../lots/drafts/fields";
import { Moment } from "../parts/Moment";
import { ProblemAlert } from "../parts/ProblemAlert";
import { useChange } from "../parts/useChange";
import type { GroupMembers, MemberStore } from "./queries";

/** The datastores of a group that are held empty, for maintenance; holding another one and releasing. */
export function Held({ group, mayChange }: { group: GroupMembers; mayChange: boolean }) {
  const stores = group.parts.flatMap((part) => part.datastores);
  const held = stores.filter((store) => store.held_by);
  const free = stores.filter((store) => !store.held_by);
  const [open, setOpen] = useState(false);
  if (!held.length && !(mayChange && free.length)) return null;
  return (
    <Box sx={{ p: "8px 12px", borderTop: "1px solid var(--line)", display: "grid", gap: 0.5 }}>
      {held.map((store) => (
        <HeldStore key={store.id} group={group.name} store={store} mayChange={mayChange} />
      ))}
      {mayChange && free.length > 0 && !open && (
        <div>
          <Button
            size="small"
            aria-label={`Empty a datastore of ${group.name}`}
            onClick={() => {
              setOpen(true);
            }}
          >
            Empty a datastore
          </Button>
        </div>
      )}
      {open && (
        <Hold
          group={group.name}
          stores={free}
          close={() => {
            setOpen(false);
          }}
        />
      )}
    </Box>
  );
}

interface HeldProps {
  /** Empty for one that is in none. */
  group: string;
  store: MemberStore;
  mayChange: boolean;
}

export function HeldStore({ group, store, mayChange }: HeldProps) {
  const release = useChange(() =>
    unwrap(api.DELETE("/api/balance/held/{id}/", { params: { path: { id: store.id } } })),
  );
  return (
    <Box
      role="group"
      aria-label={`${store.name} is held empty`}
      sx={{ display: "flex", gap: 1, alignItems: "center" }}
    >
      <span>
        ◪ <strong>{store.name}</strong> is held empty by {store.held_by}
        {store.held_at && (
          <>
            , <Moment at={store.held_at} />
          </>
        )}
        : plans take its disks away and put none there.{" "}
        {group && <Link to={`/balance/${encodeURIComponent(group)}`}>See the plan</Link>}
      </span>
      {mayChange && (
        <Button
          size="small"
          aria-label={`Release ${store.name}`}
          disabled={release.isPending}
          onClick={() => {
            release.mutate();
          }}
        >
          Release
        </Button>
      )}
      <ProblemAlert error={release.error} />
    </Box>
  );
}

interface HoldProps {
  group: string;
  stores: readonly MemberStore[];
  close: () => void;
}

function Hold({ group, stores, close }: HoldProps) {
  const [chosen, setChosen] = useState(String(stores[0]?.id ?? ""));
  const hold = useChange(
    () => unwrap(api.POST("/api/balance/held/", { body: { datastore: Number(chosen) } })),
    close,
  );
  return (
    <Box
      component="form"
      aria-label={`Empty a datastore of ${group}`}
      sx={{ display: "flex", gap: 1, alignItems: "start", maxWidth: 620 }}
      onSubmit={(event) => {
        event.preventDefault();
        hold.mutate();
      }}
    >
      <Choice
        label="Datastore"
        value={chosen}
        fixed={hold.isPending}
        options={stores.map((store) => [String(store.id), store.name] as const)}
        hint="its disks are to leave by the group's plan, and it stays empty until it is released; nothing moves before a lot runs"
        choose={setChosen}
      />
      <Button type="submit" variant="contained" sx={{ whiteSpace: "nowrap" }} disabled={hold.isPending}>
        Hold it empty
      </Button>
      <Button onClick={close}>Leave it</Button>
      <ProblemAlert error={hold.error} />
    </Box>
  );
}
