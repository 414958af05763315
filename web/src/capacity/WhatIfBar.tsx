import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { api, unwrap } from "../api/client";
import { ProblemAlert } from "../parts/ProblemAlert";
import { useChange } from "../parts/useChange";
import { useSession } from "../shell/useSession";
import { AddHappening } from "./AddHappening";
import { AS_IT_IS, isAsItIs, type WhatIf } from "./queries";

interface Props {
  asked: WhatIf;
  /** What happens in words, as the server says it. */
  said: readonly string[];
  change: (asked: WhatIf) => void;
}

/** What if growth were another, more came in, or something went: all runways answer at once. */
export function WhatIfBar({ asked, said, change }: Props) {
  const [adding, setAdding] = useState(false);
  return (
    <Box component="section" aria-label="What if" sx={{ mb: 1.5 }}>
      <Box sx={{ display: "flex", gap: 1.25, flexWrap: "wrap", alignItems: "center" }}>
        <b>What if</b>
        <TextField
          size="small"
          type="number"
          label="growth, times"
          value={String(asked.growth)}
          sx={{ width: 112 }}
          slotProps={{ inputLabel: { shrink: true }, htmlInput: { step: "any" } }}
          onChange={(event) => {
            change({ ...asked, growth: Math.min(10, Math.max(0, Number(event.target.value) || 0)) });
          }}
        />
        {asked.acts.map((act, place) => (
          <Happens
            key={`${JSON.stringify(act)} ${String(place)}`}
            words={said[place] ?? "being computed"}
            drop={() => {
              change({ ...asked, acts: asked.acts.filter((_each, other) => other !== place) });
            }}
          />
        ))}
        <Button
          size="small"
          variant="outlined"
          aria-expanded={adding}
          onClick={() => {
            setAdding(!adding);
          }}
        >
          {asked.acts.length ? "and something else happens" : "something happens"}
        </Button>
        {!isAsItIs(asked) && (
          <Button
            size="small"
            onClick={() => {
              change(AS_IT_IS);
            }}
          >
            As it is
          </Button>
        )}
        {!isAsItIs(asked) && <Keep asked={asked} />}
      </Box>
      {adding && (
        <AddHappening
          add={(act) => {
            change({ ...asked, acts: [...asked.acts, act] });
            setAdding(false);
          }}
        />
      )}
    </Box>
  );
}

/** One thing that happens, in words, with a button that takes it out. */
function Happens({ words, drop }: { words: string; drop: () => void }) {
  return (
    <Box
      sx={{
        display: "flex",
        alignItems: "center",
        border: "1px solid var(--line)",
        borderRadius: "4px",
        pl: 1,
        background: "var(--card)",
      }}
    >
      {words}
      <Button size="small" sx={{ minWidth: 28 }} aria-label={`Without: ${words}`} onClick={drop}>
        ✕
      </Button>
    </Box>
  );
}

/** Keeps what is asked under a name, for everybody who may change things. */
function Keep({ asked }: { asked: WhatIf }) {
  const [name, setName] = useState("");
  const { data: session } = useSession();
  const keep = useChange(
    () =>
      unwrap(
        api.POST("/api/capacity/what-ifs/", {
          body: { name: name.trim(), growth: asked.growth, acts: [...asked.acts] },
        }),
      ),
    () => {
      setName("");
    },
  );
  if (!session?.may_change) return null;
  return (
    <Box
      component="form"
      aria-label="Keep this what-if"
      sx={{ display: "flex", gap: 0.75, alignItems: "center" }}
      onSubmit={(event) => {
        event.preventDefault();
        if (name.trim()) keep.mutate();
      }}
    >
      <TextField
        size="small"
        label="keep it as"
        value={name}
        sx={{ width: 150 }}
        slotProps={{ htmlInput: { maxLength: 60 } }}
        onChange={(event) => {
          setName(event.target.value);
        }}
      />
      <Button type="submit" size="small" disabled={!name.trim() || keep.isPending}>
        Keep
      </Button>
      <ProblemAlert error={keep.error} />
    </Box>
  );
}
