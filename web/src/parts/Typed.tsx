import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { type ReactNode, useState } from "react";
import { CARD } from "./CardHead";

interface TypedProps {
  label: string;
  /** What has to be typed. */
  name: string;
  act: string;
  go: () => void;
  children: ReactNode;
}

/** A button for what destroys data, which wants the name of the thing first. */
export function Typed({ label, name, act, go, children }: TypedProps) {
  const [text, setText] = useState("");
  return (
    <Box
      component="form"
      aria-label={label}
      onSubmit={(event) => {
        event.preventDefault();
        if (text.trim() === name) go();
      }}
      sx={{
        ...CARD,
        p: 1.25,
        flexBasis: "100%",
        display: "flex",
        gap: 1.5,
        alignItems: "center",
        flexWrap: "wrap",
      }}
    >
      <span>{children}</span>
      <TextField
        size="small"
        label={label}
        fullWidth={false}
        sx={{ width: 320 }}
        autoComplete="off"
        value={text}
        onChange={(event) => {
          setText(event.target.value);
        }}
      />
      <Button type="submit" variant="outlined" disabled={text.trim() !== name}>
        {act}
      </Button>
    </Box>
  );
}
