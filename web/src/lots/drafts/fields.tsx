import Box from "@mui/material/Box";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import type { ReactNode } from "react";
import type { Schemas } from "../../api/problem";

/** What a field of a draft's form is bound to; the form's type comes from the schema. */
export interface Bound<Form> {
  form: Form;
  change: (part: Partial<Form>) => void;
  fixed: boolean;
  /** What is wrong with the form, by field. */
  problems?: readonly Schemas["FieldProblem"][] | undefined;
}

type KeysOf<Form, Value> = { [K in keyof Form]: Form[K] extends Value ? K : never }[keyof Form] & string;

interface TextProps<Form> {
  of: Bound<Form>;
  name: KeysOf<Form, string>;
  label: string;
  hint: string;
  /** Shown while nothing is typed. */
  instead?: string;
  autoFocus?: boolean;
}

/** A field of text: what is wrong stands beside it, else the hint. */
export function TextInput<Form>({ of, name, label, hint, instead = "", autoFocus = false }: TextProps<Form>) {
  const { form, change, fixed, problems } = of;
  const problem = problems?.find((entry) => entry.field === name);
  const value = form[name] as string;
  return (
    <TextField
      label={label}
      value={value}
      placeholder={instead}
      autoFocus={autoFocus}
      autoComplete="off"
      disabled={fixed}
      error={!!problem}
      onChange={(event) => {
        change({ [name]: event.target.value } as Partial<Form>);
      }}
      helperText={problem ? `${problem.message} ${problem.hint}` : hint}
      {...(instead ? { slotProps: { inputLabel: { shrink: true } } } : {})}
    />
  );
}

interface ChoiceProps<Value extends string> {
  label: string;
  value: Value;
  fixed: boolean;
  /** Each value with its word, in order. */
  options: readonly (readonly [Value, string])[];
  choose: (value: Value) => void;
  hint?: string;
}

/** One of a few. */
export function Choice<Value extends string>({
  label,
  value,
  fixed,
  options,
  choose,
  hint,
}: ChoiceProps<Value>) {
  return (
    <TextField
      select
      label={label}
      value={value}
      disabled={fixed}
      onChange={(event) => {
        const chosen = options.find(([each]) => each === event.target.value);
        if (chosen) choose(chosen[0]);
      }}
      helperText={hint}
      slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
    >
      {options.map(([each, word]) => (
        <MenuItem key={each} value={each}>
          {word}
        </MenuItem>
      ))}
    </TextField>
  );
}

/** Fields side by side, as many as the width has room for. */
export function FieldRow({ children, least = 118 }: { children: ReactNode; least?: number }) {
  return (
    <Box
      sx={{
        display: "grid",
        gridTemplateColumns: `repeat(auto-fit, minmax(${String(least)}px, 1fr))`,
        gap: 1.5,
        mb: 1.5,
        alignItems: "start",
      }}
    >
      {children}
    </Box>
  );
}

interface TickProps {
  label: ReactNode;
  checked: boolean;
  fixed: boolean;
  set: (checked: boolean) => void;
}

/** Yes or no. */
export function Tick({ label, checked, fixed, set }: TickProps) {
  return (
    <FormControlLabel
      control={
        <Checkbox
          size="small"
          checked={checked}
          disabled={fixed}
          onChange={(event) => {
            set(event.target.checked);
          }}
        />
      }
      label={label}
    />
  );
}
