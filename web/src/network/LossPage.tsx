import Autocomplete from "@mui/material/Autocomplete";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";
import { Link, useSearchParams } from "react-router";
import { api, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { Mark } from "../parts/Mark";
import { ProblemAlert } from "../parts/ProblemAlert";
import { countOf } from "../parts/format";

type Component = Schemas["ComponentRow"];
type Loss = Schemas["LossAnswer"];

/** What if a component is taken away: which volumes, hosts and machines stop, and which are left on one leg. */
export function LossPage() {
  const [search, setSearch] = useSearchParams();
  const kind = search.get("kind") ?? "";
  const name = search.get("name") ?? "";
  const loss = useQuery({
    queryKey: ["loss", kind, name],
    queryFn: () => unwrap(api.GET("/api/network/loss/", { params: { query: { kind, name } } })),
    enabled: kind !== "",
    placeholderData: keepPreviousData,
  });
  return (
    <>
      <Box sx={{ display: "flex", alignItems: "center", gap: 1.5, mb: 1.5, flexWrap: "wrap" }}>
        <Typography variant="h1">What if it is taken away</Typography>
        <Choose
          chosen={kind ? { kind, name } : null}
          choose={(component) => {
            setSearch(component ? { kind: component.kind, name: component.name } : {});
          }}
        />
        <Box sx={{ flex: 1 }} />
        {loss.data && (
          <>
            <Button
              component="a"
              href={`/api/network/loss/csv/?${new URLSearchParams({ kind, name }).toString()}`}
            >
              CSV
            </Button>
            <Button
              onClick={() => {
                window.print();
              }}
            >
              Print
            </Button>
          </>
        )}
      </Box>
      <ProblemAlert error={loss.error} />
      {!kind && (
        <Typography color="textSecondary">
          Choose what the storage or network team will work on: an array, controller, portal, switch, subnet,
          pool, volume, host, port or uplink. Nothing is changed; it is computed from the paths as last read.
        </Typography>
      )}
      {loss.data && kind && <Answer loss={loss.data} />}
    </>
  );
}

interface ChooseProps {
  chosen: Component | null;
  choose: (component: Component | null) => void;
}

function Choose({ chosen, choose }: ChooseProps) {
  const [text, setText] = useState("");
  const wanted = useDeferredValue(text);
  const found = useQuery({
    queryKey: ["components", wanted],
    queryFn: () => unwrap(api.GET("/api/network/components/", { params: { query: { q: wanted } } })),
    placeholderData: keepPreviousData,
  });
  const label = (component: Component) => `${component.kind} ${component.name}`;
  return (
    <Autocomplete
      sx={{ width: 320 }}
      size="small"
      options={found.data ?? []}
      value={chosen}
      getOptionLabel={label}
      isOptionEqualToValue={(a, b) => label(a) === label(b)}
      filterOptions={(options) => options}
      onChange={(_event, component) => {
        choose(component);
      }}
      onInputChange={(_event, value, reason) => {
        setText(reason === "input" ? value : "");
      }}
      renderInput={(params) => <TextField {...params} label="Component" placeholder="switch-1, granite A…" />}
    />
  );
}

const machines = (count: number) => countOf(count, "machine");

function Answer({ loss }: { loss: Loss }) {
  const { component, machines_stop: stop, machines_thinner: thinner } = loss;
  return (
    <>
      <Typography sx={{ mb: 1.5, fontSize: 15 }} role="status">
        Without {component.kind} <strong>{component.name}</strong>:{" "}
        {stop > 0 ? (
          <strong style={{ color: "var(--buoyText)" }}>
            ▲ {machines(stop)} with {String(loss.disks_stop)} disks stop
          </strong>
        ) : (
          "■ no machine stops"
        )}
        {thinner > 0 && `, ◪ ${machines(thinner)} left on one leg`}
        {stop + thinner === 0 && ", and redundancy stays as it is"}.
      </Typography>
      {loss.volumes.length > 0 && <Volumes loss={loss} />}
      {loss.machines.length > 0 && <Machines loss={loss} />}
    </>
  );
}

const CARD = { background: "var(--card)", border: "1px solid var(--line)", mb: 2 };

function Volumes({ loss }: { loss: Loss }) {
  return (
    <Table size="small" aria-label="Volumes" sx={CARD}>
      <TableHead>
        <TableRow>
          {["Datastore", "Volume", "Pool", "Stops on", "Left on one leg"].map((head) => (
            <TableCell key={head}>{head}</TableCell>
          ))}
        </TableRow>
      </TableHead>
      <TableBody>
        {loss.volumes.map((row) => (
          <TableRow key={row.id}>
            <TableCell>
              <Mark
                kind={row.stops.length ? "over" : "part"}
                label={row.stops.length ? "stops" : "thinner"}
              />{" "}
              {row.datastore_id === null ? (
                "none"
              ) : (
                <Link to={`/trace/datastore/${String(row.datastore_id)}`}>{row.datastore}</Link>
              )}
            </TableCell>
            <TableCell>
              <Link to={`/trace/volume/${String(row.id)}`}>{row.name}</Link>
            </TableCell>
            <TableCell>
              {row.array}, {row.pool}
            </TableCell>
            <TableCell>{hosts(row.stops)}</TableCell>
            <TableCell>{hosts(row.thinner)}</TableCell>
          </TableRow>
        ))}
      </TableBody>
    </Table>
  );
}

const HOSTS_SHOWN = 6;

function hosts(names: readonly string[]): string {
  const more = names.length - HOSTS_SHOWN;
  return (names.slice(0, HOSTS_SHOWN).join(", ") || "–") + (more > 0 ? ` and ${String(more)} more` : "");
}

function Machines({ loss }: { loss: Loss }) {
  const total = loss.machines_stop + loss.machines_thinner;
  return (
    <>
      <Table size="small" aria-label="Machines" sx={CARD}>
        <TableHead>
          <TableRow>
            {["Machine", "Effect", "Host", "Operating system", "Address", "Disks", "On", "Labels"].map(
              (head) => (
                <TableCell key={head}>{head}</TableCell>
              ),
            )}
          </TableRow>
        </TableHead>
        <TableBody>
          {loss.machines.map((row) => (
            <TableRow key={row.id}>
              <TableCell>
                <Link to={`/trace/machine/${String(row.id)}`}>{row.name}</Link>
              </TableCell>
              <TableCell sx={{ color: row.effect === "stops" ? "var(--buoyText)" : "inherit" }}>
                {row.effect === "stops" ? "▲ stops" : "◪ one leg left"}
              </TableCell>
              <TableCell>{row.host}</TableCell>
              <TableCell>{row.os}</TableCell>
              <TableCell className="mono">{row.address}</TableCell>
              <TableCell className="mono">{row.disks}</TableCell>
              <TableCell>{row.datastores.join(", ")}</TableCell>
              <TableCell>{row.labels.join(", ") || "–"}</TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
      {total > loss.machines.length && (
        <Typography color="textSecondary">
          The first {loss.machines.length} of {total} are shown; the CSV has all.
        </Typography>
      )}
    </>
  );
}
