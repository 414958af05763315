import Autocomplete from "@mui/material/Autocomplete";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { countOf } from "../parts/format";
import type { Kind, Requirement } from "./queries";

interface Props {
  kinds: readonly Kind[];
  requirements: readonly Requirement[];
  /** Nothing may be changed, only read. */
  fixed: boolean;
  onChange: (requirements: readonly Requirement[]) => void;
}

/** The requirements of a policy, a line for each of its parts, each with the editor that its kind asks for. */
export function PolicyEditor({ kinds, requirements, fixed, onChange }: Props) {
  const parts = [...new Set(kinds.map((kind) => kind.part))];
  const replace = (index: number, next: Requirement | null) => {
    onChange(requirements.flatMap((each, n) => (n === index ? (next ? [next] : []) : [each])));
  };
  return (
    <Box sx={{ display: "grid", gap: 1.25 }}>
      {parts.map((part) => {
        const mine = kinds.filter((kind) => kind.part === part);
        const free = mine.filter(
          (kind) => kind.several || !requirements.some((each) => each.kind === kind.kind),
        );
        return (
          <Box
            key={part}
            role="group"
            aria-label={part}
            sx={{ display: "flex", gap: 1.25, alignItems: "center", flexWrap: "wrap" }}
          >
            <Box sx={{ width: 92, color: "var(--mute)", fontWeight: 600 }}>
              {part.charAt(0).toUpperCase() + part.slice(1)}
            </Box>
            {requirements.map((each, index) => {
              const kind = mine.find(({ kind: name }) => name === each.kind);
              return (
                kind && (
                  <Value
                    key={`${each.kind} ${String(index)}`}
                    kind={kind}
                    requirement={each}
                    fixed={fixed}
                    onChange={(next) => {
                      replace(index, next);
                    }}
                  />
                )
              );
            })}
            {!fixed && free.length > 0 && (
              <TextField
                select
                fullWidth={false}
                size="small"
                sx={{ width: 200 }}
                label={`ask more of ${part}`}
                value=""
                onChange={(event) => {
                  const kind = free.find(({ kind: name }) => name === event.target.value);
                  if (kind) onChange([...requirements, { kind: kind.kind, value: firstOf(kind) }]);
                }}
              >
                {free.map((kind) => (
                  <MenuItem key={kind.kind} value={kind.kind}>
                    {kind.label}
                  </MenuItem>
                ))}
              </TextField>
            )}
          </Box>
        );
      })}
    </Box>
  );
}

/** What a new requirement begins with: what most places have, else the least. */
function firstOf(kind: Kind): string | number {
  if (kind.how === "number") return kind.least;
  const best = [...kind.options].sort((a, b) => b.places - a.places)[0];
  return best?.value ?? kind.example;
}

interface ValueProps {
  kind: Kind;
  requirement: Requirement;
  fixed: boolean;
  onChange: (next: Requirement | null) => void;
}

function Value({ kind, requirement, fixed, onChange }: ValueProps) {
  const change = (value: string | number) => {
    onChange({ kind: kind.kind, value });
  };
  const label = kind.unit ? `${kind.label} (${kind.unit})` : kind.label;
  return (
    <Box sx={{ display: "flex", alignItems: "center" }}>
      {kind.how === "text" ? (
        <Autocomplete
          freeSolo
          disableClearable
          disabled={fixed}
          size="small"
          sx={{ width: 190 }}
          options={kind.options.map(({ value }) => value)}
          value={String(requirement.value)}
          onInputChange={(_event, value) => {
            if (value !== requirement.value) change(value);
          }}
          renderInput={(params) => <TextField {...params} label={label} />}
        />
      ) : (
        <TextField
          select={kind.how === "choice"}
          type={kind.how === "number" ? "number" : undefined}
          fullWidth={false}
          size="small"
          sx={{ width: kind.how === "number" ? 170 : 200 }}
          label={label}
          disabled={fixed}
          value={requirement.value}
          slotProps={{
            htmlInput: { min: kind.least, max: kind.most, step: "any" },
            // Closed it says the value alone, without how many have it.
            select: {
              renderValue: (value) =>
                kind.options.find((option) => option.value === value)?.label ?? String(value),
            },
          }}
          onChange={(event) => {
            const { value } = event.target;
            change(kind.how === "number" && value !== "" ? Number(value) : value);
          }}
        >
          {kind.options.map((option) => (
            <MenuItem key={option.value} value={option.value} disabled={option.places === 0}>
              {option.label}
              <Box component="span" sx={{ color: "var(--mute)", ml: 1 }}>
                {option.places
                  ? `on ${countOf(option.places, "datastore")}`
                  : "no linked device could meet it"}
              </Box>
            </MenuItem>
          ))}
        </TextField>
      )}
      {!fixed && (
        <Button
          size="small"
          aria-label={`Ask no longer for ${kind.label} ${String(requirement.value)}`}
          sx={{ minWidth: 28 }}
          onClick={() => {
            onChange(null);
          }}
        >
          ×
        </Button>
      )}
    </Box>
  );
}
