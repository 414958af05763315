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
import { barsOf, hourAt, said, typedOf } from "./week";
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
      <Week key={data.number} week={data} />
      <Acting week={data} />
    </Box>
  );
}

/** The week as stored, and as it is typed until it is stored. */
function Week({ week }: { week: GroupWeek }) {
  const stored = typedOf(week);
  const [typed, setTyped] = useState(stored);
  const { data: session } = useSession();
  const { size } = useUnit();
  const now = useNow(60_000);
  const mayChange = session?.may_change ?? false;
  const other = JSON.stringify(typed) !== JSON.stringify(stored);
  const store = useChange(() =>
    unwrap(
      api.PUT("/api/balance/groups/{name}/week/", {
        params: { path: { name: week.group }, header: { "If-Match": `"${String(week.number)}"` } },
        body: {
          zone: typed.zone,
          ways: [...typed.ways] as never,
          bars: barsOf(typed.hours),
          exceptions: [...typed.exceptions],
        },
      }),
    ),
  );
  const part = (changed: Partial<typeof typed>) => {
    setTyped((before) => ({ ...before, ...changed }));
  };
  const rename = (before: string, after: string) => {
    const renamed = (name: string | null) => (name === before ? after : name);
    setTyped(({ ways, hours, exceptions, zone }) => ({
      zone,
      ways: ways.map((way) => (way.name === before ? { ...way, name: after } : way)),
      hours: hours.map(renamed),
      exceptions: exceptions.map((each) => (each.way === before ? { ...each, way: after } : each)),
    }));
  };
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
          {...(mayChange
            ? {
                lay: (hours: typeof typed.hours) => {
                  part({ hours });
                },
              }
            : {})}
        />
        <NowLine week={week} />
        {mayChange && (
          <>
            <WaysForm
              ways={typed.ways}
              rename={rename}
              set={(ways) => {
                const names = new Set(ways.map((way) => way.name));
                part({
                  ways,
                  hours: typed.hours.map((way) => (way !== null && names.has(way) ? way : null)),
                  exceptions: typed.exceptions.filter((each) => names.has(each.way)),
                });
              }}
            />
            {typed.ways.length > 0 && (
              <LayForm
                ways={typed.ways}
                hours={typed.hours}
                lay={(hours) => {
                  part({ hours });
                }}
              />
            )}
          </>
        )}
        <Exceptions
          exceptions={typed.exceptions}
          ways={typed.ways}
          {...(mayChange
            ? {
                set: (exceptions: typeof typed.exceptions) => {
                  part({ exceptions });
                },
              }
            : {})}
        />
        <Box sx={{ display: "flex", gap: 1.5, alignItems: "center", flexWrap: "wrap" }}>
          {mayChange && (
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
                disabled={!other || store.isPending}
                onClick={() => {
                  store.mutate();
                }}
              >
                Store the week
              </Button>
              {other && (
                <Button
                  onClick={() => {
                    setTyped(stored);
                    store.reset();
                  }}
                >
                  As it was
                </Button>
              )}
            </>
          )}
          <CalendarLinks
            group={week.group}
            {...(mayChange
              ? {
                  take: (bars, exceptions) => {
                    part({ hours: typedOf({ ...week, bars }).hours, exceptions });
                  },
                }
              : {})}
          />
        </Box>
        <ProblemAlert error={store.error} />
      </Box>
    </Box>
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
