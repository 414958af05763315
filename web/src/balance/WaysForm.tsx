import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { Choice, Tick } from "../lots/drafts/fields";
import type { WayRow } from "./queries";
import { DAYS, DOES, type Hours, laidOnDays, type TypedWay } from "./week";

const TIB = 1024 ** 4;
const NEW: WayRow = {
  name: "",
  does: "advise",
  most_bytes: null,
  most_copies: null,
  fill_ceiling: null,
  latency_ceiling_ms: null,
};
const NONE = "";

interface WaysProps {
  ways: readonly TypedWay[];
  set: (ways: readonly TypedWay[]) => void;
  rename: (id: number, name: string) => void;
}

/** The ways of a group: what each does, how much of it, and its ceilings. */
export function WaysForm({ ways, set, rename }: WaysProps) {
  const [name, setName] = useState("");
  const change = (id: number, part: Partial<WayRow>) => {
    set(ways.map((way) => (way.id === id ? { ...way, ...part } : way)));
  };
  const taken = ways.some((way) => way.name.toLowerCase() === name.trim().toLowerCase());
  return (
    <Box sx={{ display: "grid", gap: 1.25 }}>
      {ways.map((way) => (
        <Box
          key={way.id}
          role="group"
          aria-label={`Way ${way.name}`}
          sx={{
            display: "grid",
            gap: 1,
            gridTemplateColumns: "110px 170px 110px 96px 96px 96px auto",
            justifyContent: "start",
          }}
        >
          <TextField
            label="Name"
            value={way.name}
            onChange={(event) => {
              rename(way.id, event.target.value);
            }}
          />
          <Choice
            label="What it does"
            value={way.does}
            fixed={false}
            options={DOES}
            choose={(does) => {
              change(way.id, { does });
            }}
          />
          <Figure
            label="At most, TiB"
            value={way.most_bytes}
            scale={TIB}
            off={way.does !== "act"}
            set={(most_bytes) => {
              change(way.id, { most_bytes: most_bytes === null ? null : Math.round(most_bytes) });
            }}
          />
          <Figure
            label="At once"
            value={way.most_copies}
            off={way.does !== "act"}
            set={(most_copies) => {
              change(way.id, { most_copies });
            }}
          />
          <Figure
            label="Full, %"
            value={way.fill_ceiling}
            scale={0.01}
            set={(fill_ceiling) => {
              change(way.id, { fill_ceiling });
            }}
          />
          <Figure
            label="Within, ms"
            value={way.latency_ceiling_ms}
            set={(latency_ceiling_ms) => {
              change(way.id, { latency_ceiling_ms });
            }}
          />
          <Button
            size="small"
            aria-label={`Take way ${way.name} out`}
            onClick={() => {
              set(ways.filter(({ id }) => id !== way.id));
            }}
          >
            Take out
          </Button>
        </Box>
      ))}
      <Box
        component="form"
        aria-label="Another way"
        sx={{ display: "flex", gap: 1, alignItems: "center" }}
        onSubmit={(event) => {
          event.preventDefault();
          const id = Math.max(-1, ...ways.map((way) => way.id)) + 1;
          if (name.trim() && !taken) set([...ways, { ...NEW, id, name: name.trim() }]);
          setName("");
        }}
      >
        <TextField
          label="Another way"
          fullWidth={false}
          sx={{ width: 160 }}
          value={name}
          error={taken && name !== ""}
          onChange={(event) => {
            setName(event.target.value);
          }}
        />
        <Button type="submit" disabled={!name.trim() || taken}>
          Add it
        </Button>
        <span style={{ color: "var(--mute)", fontSize: 12 }}>
          What is left empty has no limit; ceilings left empty are the group's own.
        </span>
      </Box>
    </Box>
  );
}

interface FigureProps {
  label: string;
  value: number | null;
  /** Of one unit as shown. */
  scale?: number;
  off?: boolean;
  set: (value: number | null) => void;
}

/** A figure that may be left empty; what is no number is not taken. */
function Figure({ label, value, scale = 1, off = false, set }: FigureProps) {
  const shown = value === null || off ? "" : String(Math.round((value / scale) * 100) / 100);
  const [text, setText] = useState(shown);
  const meant = text.trim() === "" || Number(text) > 0;
  return (
    <TextField
      label={label}
      value={off ? "" : text}
      disabled={off}
      error={!meant}
      slotProps={{ htmlInput: { inputMode: "decimal" } }}
      onChange={(event) => {
        setText(event.target.value);
        const typed = event.target.value.trim();
        if (typed === "") set(null);
        // 70 % is 0.7, not what floats make of 70 hundredths.
        else if (Number(typed) > 0) set(Number((Number(typed) * scale).toPrecision(12)));
      }}
    />
  );
}

interface LayProps {
  ways: readonly WayRow[];
  hours: Hours;
  lay: (hours: Hours) => void;
}

/** A way laid over hours of some days, without dragging. */
export function LayForm({ ways, hours, lay }: LayProps) {
  const [way, setWay] = useState(ways[0]?.name ?? NONE);
  const [days, setDays] = useState<ReadonlySet<number>>(new Set([0, 1, 2, 3, 4]));
  const [from, setFrom] = useState("20");
  const [until, setUntil] = useState("5");
  const known = way === NONE || ways.some((each) => each.name === way);
  const meant =
    known && days.size > 0 && [from, until].every((text) => /^([01]?\d|2[0-4])$/.test(text.trim()));
  return (
    <Box
      component="form"
      aria-label="Lay a way over the week"
      sx={{ display: "flex", gap: 1, alignItems: "center", flexWrap: "wrap" }}
      onSubmit={(event) => {
        event.preventDefault();
        lay(laidOnDays(hours, way === NONE ? null : way, [...days], Number(from) % 24, Number(until) % 24));
      }}
    >
      <Box sx={{ width: 150 }}>
        <Choice
          label="Lay"
          value={way}
          fixed={false}
          options={[...ways.map((each) => [each.name, each.name] as const), [NONE, "no way"] as const]}
          choose={setWay}
        />
      </Box>
      {DAYS.map((day, n) => (
        <Tick
          key={day}
          label={day}
          checked={days.has(n)}
          fixed={false}
          set={(checked) => {
            const next = new Set(days);
            if (checked) next.add(n);
            else next.delete(n);
            setDays(next);
          }}
        />
      ))}
      {(
        [
          ["From, hour", from, setFrom],
          ["Until, hour", until, setUntil],
        ] as const
      ).map(([label, value, set]) => (
        <TextField
          key={label}
          label={label}
          fullWidth={false}
          sx={{ width: 96 }}
          value={value}
          onChange={(event) => {
            set(event.target.value);
          }}
        />
      ))}
      <Button type="submit" variant="outlined" disabled={!meant}>
        Lay it
      </Button>
    </Box>
  );
}
