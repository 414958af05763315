import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useDeferredValue, useEffect, useState } from "react";
import { Link } from "react-router";
import { api, unwrap } from "../api/client";
import { AskedButton } from "../parts/AskedButton";
import { CARD, CardHead } from "../parts/CardHead";
import { countOf } from "../parts/format";
import { Moment } from "../parts/Moment";
import { ProblemAlert } from "../parts/ProblemAlert";
import { useUnit } from "../parts/unit";
import { useChange } from "../parts/useChange";
import { Given } from "./Given";
import { PolicyEditor } from "./PolicyEditor";
import { type Board, type Cell, effectQuery, type Policy, policyQuery, type Requirement } from "./queries";

interface Props {
  id: number;
  board: Board;
  /** Nothing may be changed, only read. */
  fixed: boolean;
  /** The policy's cells as they would be with what is typed; null while nothing is. */
  onCells: (cells: readonly Cell[] | null) => void;
}

/** The chosen policy: what it asks, what a change would do, its versions, and what it is given to. */
export function ChosenPolicy({ id, board, fixed, onCells }: Props) {
  const { data: policy, error } = useQuery(policyQuery(id));
  if (!policy) return <ProblemAlert error={error} />;
  // What somebody else stored meanwhile starts the form anew.
  return <Form key={policy.number} policy={policy} board={board} fixed={fixed} onCells={onCells} />;
}

function Form({ policy, board, fixed, onCells }: Omit<Props, "id"> & { policy: Policy }) {
  const [version] = policy.versions;
  const stored = version?.requirements ?? [];
  const [typed, setTyped] = useState<readonly Requirement[] | null>(null);
  const [note, setNote] = useState("");
  const save = useChange(() =>
    unwrap(
      api.PUT("/api/policies/{id}/", {
        params: { path: { id: policy.id }, header: { "If-Match": `"${String(policy.number)}"` } },
        body: { requirements: [...(typed ?? stored)], note },
      }),
    ),
  );
  return (
    <Box component="section" aria-label={policy.name} sx={CARD}>
      <CardHead title={policy.name}>
        <Typography color="textSecondary" component="span" sx={{ mr: "auto" }}>
          version {policy.number}
          {version && (
            <>
              , by {version.by} <Moment at={version.at} />
            </>
          )}
        </Typography>
        {!fixed && (
          <Button component={Link} size="small" to={`?policy=new&from=${String(policy.id)}`}>
            Copy
          </Button>
        )}
        {!fixed && (
          <AskedButton
            label="Retire"
            subject={policy.name}
            act="Retire it"
            change={() => unwrap(api.DELETE("/api/policies/{id}/", { params: { path: { id: policy.id } } }))}
          >
            Nothing has it from then on; its versions are kept, its name stays taken.
          </AskedButton>
        )}
      </CardHead>
      <Box sx={{ p: 1.5, display: "grid", gap: 1.5 }}>
        <PolicyEditor kinds={board.kinds} requirements={typed ?? stored} fixed={fixed} onChange={setTyped} />
        <Effect policy={policy.id} requirements={typed} onCells={onCells} />
        {!typed && version && <Typography>{version.sentence}</Typography>}
        {typed && (
          <Box sx={{ display: "flex", gap: 1, alignItems: "center", flexWrap: "wrap" }}>
            <TextField
              label="Why, for the versions"
              size="small"
              fullWidth={false}
              sx={{ width: 320 }}
              value={note}
              onChange={(event) => {
                setNote(event.target.value);
              }}
            />
            <Button
              variant="contained"
              disabled={save.isPending}
              onClick={() => {
                save.mutate();
              }}
            >
              Ask this from now on
            </Button>
            <Button
              onClick={() => {
                save.reset();
                setTyped(null);
                onCells(null);
              }}
            >
              Leave it as it is
            </Button>
          </Box>
        )}
        <ProblemAlert error={save.error} />
        <Versions policy={policy} fixed={fixed} onTake={setTyped} />
        <Given policy={policy} fixed={fixed} />
      </Box>
    </Box>
  );
}

interface EffectProps {
  policy: number | null;
  /** What is typed; null while it is as stored. */
  requirements: readonly Requirement[] | null;
  onCells: (cells: readonly Cell[] | null) => void;
}

/** What the typed requirements would do: asked for while typing, nothing is stored. */
function Effect({ policy, requirements, onCells }: EffectProps) {
  const { size } = useUnit();
  const asked = useDeferredValue(requirements);
  const { data, error } = useQuery({
    ...effectQuery(policy, asked ?? []),
    enabled: asked !== null,
    placeholderData: keepPreviousData,
    retry: false,
  });
  const cells = asked === null ? null : (data?.cells ?? null);
  useEffect(() => {
    onCells(cells);
  }, [cells, onCells]);
  if (asked === null) return null;
  if (error) return <ProblemAlert error={error} />;
  if (!data) return null;
  const serving = data.cells.filter(({ answer }) => answer === "has it" || answer === "can make it").length;
  return (
    <Box role="status" aria-label="What it would do">
      <Typography>
        {data.sentence} Served by {serving} of {countOf(data.cells.length, "datastore")}.
      </Typography>
      <Typography>
        {data.newly_out_count > 0 && (
          <>
            <strong>{countOf(data.newly_out_count, "more disk goes", "more disks go")} out of policy</strong>:{" "}
            {data.newly_out.join(", ")}.{" "}
          </>
        )}
        {data.newly_in_count > 0 && `${countOf(data.newly_in_count, "disk comes", "disks come")} in. `}
        {data.move_bytes > 0 && `${size(data.move_bytes)} to move for all that are out. `}
        {data.homeless_count > 0 &&
          `${countOf(data.homeless_count, "disk has", "disks have")} no place: no datastore serves it.`}
        {policy !== null && data.out_count === 0 && "No disk is out of policy with it."}
      </Typography>
    </Box>
  );
}

interface VersionsProps {
  policy: Policy;
  fixed: boolean;
  onTake: (requirements: readonly Requirement[]) => void;
}

/** What it asked before; going back is asking that again. */
function Versions({ policy, fixed, onTake }: VersionsProps) {
  if (policy.versions.length < 2) return null;
  return (
    <details>
      <summary style={{ cursor: "pointer" }}>Versions ({policy.versions.length})</summary>
      <ul aria-label="Versions" style={{ margin: "6px 0", paddingLeft: 18 }}>
        {policy.versions.map((version) => (
          <li key={version.number}>
            {version.number}: {version.sentence} {version.note && `“${version.note}” `}
            {version.changes.length > 0 && (
              <span style={{ color: "var(--mute)" }}>{version.changes.join("; ")} </span>
            )}
            <span style={{ color: "var(--mute)" }}>
              {version.by} <Moment at={version.at} />
            </span>
            {!fixed && version.number !== policy.number && (
              <Button
                size="small"
                aria-label={`Take version ${String(version.number)}`}
                onClick={() => {
                  onTake(version.requirements);
                }}
              >
                Take it again
              </Button>
            )}
          </li>
        ))}
      </ul>
    </details>
  );
}

interface NewProps {
  board: Board;
  onMade: (policy: number) => void;
  /** What it asks to begin with. */
  first?: readonly Requirement[];
}

/** A new policy that asks at first what another one does. */
export function CopiedPolicy({ from, ...rest }: Omit<NewProps, "first"> & { from: number }) {
  const { data: policy, error } = useQuery(policyQuery(from));
  if (!policy) return <ProblemAlert error={error} />;
  return <NewPolicy {...rest} first={policy.versions[0]?.requirements ?? []} />;
}

/** A policy that is not stored yet. */
export function NewPolicy({ board, onMade, first = [] }: NewProps) {
  const [name, setName] = useState("");
  const [requirements, setRequirements] = useState<readonly Requirement[]>(first);
  const make = useChange(
    () => unwrap(api.POST("/api/policies/", { body: { name, requirements: [...requirements], note: "" } })),
    (policy) => {
      onMade(policy.id);
    },
  );
  return (
    <Box
      component="form"
      noValidate
      aria-label="New policy"
      sx={CARD}
      onSubmit={(event) => {
        event.preventDefault();
        if (name) make.mutate();
      }}
    >
      <CardHead title="New policy">{null}</CardHead>
      <Box sx={{ p: 1.5, display: "grid", gap: 1.5 }}>
        <TextField
          label="Name"
          size="small"
          fullWidth={false}
          sx={{ width: 260 }}
          value={name}
          onChange={(event) => {
            setName(event.target.value);
          }}
        />
        <PolicyEditor
          kinds={board.kinds}
          requirements={requirements}
          fixed={false}
          onChange={setRequirements}
        />
        <Effect policy={null} requirements={requirements} onCells={IGNORED} />
        <Box>
          <Button type="submit" variant="contained" disabled={!name || make.isPending}>
            Make it
          </Button>
        </Box>
        <ProblemAlert error={make.error} />
      </Box>
    </Box>
  );
}

const IGNORED = () => undefined;
