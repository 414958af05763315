import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import { api, unwrap } from "../api/client";
import { Choice } from "../lots/drafts/fields";
import { CARD, CardHead } from "../parts/CardHead";
import { ProblemAlert } from "../parts/ProblemAlert";
import { useUnit } from "../parts/unit";
import { useChange } from "../parts/useChange";
import { useNow } from "../parts/useNow";
import { Page } from "../shell/Page";
import { useSession } from "../shell/useSession";
import { Acting } from "./Acting";
import { CalendarLinks } from "./CalendarLinks";
import { Exceptions } from "./Exceptions";
import { type GroupWeek, groupsQuery, weekQuery } from "./queries";
import { LayForm, WaysForm } from "./WaysForm";
import { formOf, hourAt, hoursOf, renamed, said, type TypedWeek, typedOf, withWays } from "./week";
import { WeekRibbon } from "./WeekRibbon";

/** What a group does at which hours of the week: laid out, rehearsed, and let act. */
export function WeekPage() {
  const { data, error } = useQuery(groupsQuery());
  const [search, setSearch] = useSearchParams();
  const named = search.get("group");
  const chosen = data?.find((group) => group.name === named) ?? data?.[0];
  return (
    <Page
      title="Week"
      stage="balance"
      error={error}
      loading={!data}
      note={
        data &&
        chosen && (
          <Box sx={{ width: 200 }}>
            <Choice
              label="Group"
              value={chosen.name}
              fixed={false}
              options={data.map(({ name }) => [name, name] as const)}
              choose={(group) => {
                setSearch({ group });
              }}
            />
          </Box>
        )
      }
    >
      {data && !chosen && (
        <Typography>
          There is no group yet: make one under <Link to="/balance/groups">Groups</Link>.
        </Typography>
      )}
      {chosen && <OfGroup key={chosen.name} name={chosen.name} />}
    </Page>
  );
}

function OfGroup({ name }: { name: string }) {
  const { data, error } = useQuery(weekQuery(name));
  if (!data) return <ProblemAlert error={error} />;
  return (
    <Box sx={{ display: "grid", gap: 1.5 }}>
      <Week week={data} />
      <Acting week={data} />
    </Box>
  );
}

/** What is typed, and the week that it was typed over. */
interface Edit {
  over: GroupWeek;
  typed: TypedWeek;
}

/** The week as stored, and as it is typed until it is stored. */
function Week({ week: known }: { week: GroupWeek }) {
  const [edit, setEdit] = useState<Edit | null>(null);
  const { data: session } = useSession();
  const { size } = useUnit();
  const now = useNow(60_000);
  const week = edit?.over ?? known;
  const typed = edit?.typed ?? typedOf(known);
  const store = useChange(async () => {
    const path = { name: week.group };
    const header = { "If-Match": `"${String(week.number)}"` };
    await unwrap(
      api.PUT("/api/balance/groups/{name}/week/", { params: { path, header }, body: formOf(typed) }),
    );
    setEdit(null);
  });
  const set = (changed: TypedWeek) => {
    const other = JSON.stringify(formOf(changed)) !== JSON.stringify(formOf(typedOf(week)));
    setEdit(other ? { over: week, typed: changed } : null);
  };
  const part = (changed: Partial<TypedWeek>) => {
    set({ ...typed, ...changed });
  };
  const mayChange = session?.may_change ?? false;
  const change = mayChange ? { set, part } : undefined;
  return (
    <Box component="section" aria-label="The week" sx={CARD}>
      <CardHead title="The week">
        <span style={{ color: "var(--mute)", fontSize: 12 }}>
          {typed.ways.map((way) => `${way.name} ${said(way, size)}`).join(" · ") ||
            "no way of working yet: the group advises at all hours"}
        </span>
      </CardHead>
      <Box sx={{ p: 1.5, display: "grid", gap: 1.5 }}>
        <WeekRibbon
          latency={week.latency_ms}
          ceilings={week.ceilings_ms}
          ways={typed.ways}
          hours={typed.hours}
          now={hourAt(now, week.zone)}
          lay={
            change &&
            ((hours) => {
              change.part({ hours });
            })
          }
        />
        <NowLine week={known} />
        <WaysAndExceptions typed={typed} change={change} />
        <Box sx={{ display: "flex", gap: 1.5, alignItems: "center", flexWrap: "wrap" }}>
          {change && (
            <>
              <TextField
                label="Time zone of the site"
                fullWidth={false}
                sx={{ width: 190 }}
                value={typed.zone}
                onChange={(event) => {
                  part({ zone: event.target.value });
                }}
              />
              <Button
                variant="contained"
                disabled={!edit || store.isPending}
                onClick={() => {
                  store.mutate();
                }}
              >
                Store the week
              </Button>
              {edit && (
                <Button
                  onClick={() => {
                    setEdit(null);
                    store.reset();
                  }}
                >
                  As it is stored
                </Button>
              )}
            </>
          )}
          <CalendarLinks
            group={week.group}
            take={
              change &&
              ((bars, exceptions) => {
                change.part({ hours: hoursOf(bars), exceptions });
              })
            }
          />
        </Box>
        {edit && edit.over.number !== known.number && (
          <Typography role="status" sx={{ color: "var(--buoyText)" }}>
            ▲ {known.by} stored another week meanwhile; take it by “As it is stored”.
          </Typography>
        )}
        <ProblemAlert error={store.error} />
      </Box>
    </Box>
  );
}

interface Change {
  set: (week: TypedWeek) => void;
  part: (changed: Partial<TypedWeek>) => void;
}

/** What is typed: the ways, where they are laid, and exceptions; only these for who may not change them. */
function WaysAndExceptions({ typed, change }: { typed: TypedWeek; change: Change | undefined }) {
  return (
    <>
      {change && (
        <WaysForm
          ways={typed.ways}
          rename={(id, name) => {
            change.set(renamed(typed, id, name));
          }}
          set={(ways) => {
            change.set(withWays(typed, ways));
          }}
        />
      )}
      {change && typed.ways.length > 0 && (
        <LayForm
          ways={typed.ways}
          hours={typed.hours}
          lay={(hours) => {
            change.part({ hours });
          }}
        />
      )}
      <Exceptions
        exceptions={typed.exceptions}
        ways={typed.ways}
        set={
          change &&
          ((exceptions) => {
            change.part({ exceptions });
          })
        }
      />
    </>
  );
}

/** What is in force, and until when. */
function NowLine({ week: { now, zone } }: { week: GroupWeek }) {
  const until =
    now.until &&
    new Date(now.until).toLocaleString("en-GB", {
      weekday: "short",
      hour: "2-digit",
      minute: "2-digit",
      timeZone: zone,
    });
  return (
    <Typography role="status" aria-label="In force">
      Now: <b>{now.way || "no way, so it advises"}</b>
      {now.once && ", an exception"}
      {until ? `, until ${now.next_way || "none"} begins ${until}` : ", at all hours"}; clock of {zone}
    </Typography>
  );
}
