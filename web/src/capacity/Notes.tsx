import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { api, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { ProblemAlert } from "../parts/ProblemAlert";
import { useChange } from "../parts/useChange";
import { useSession } from "../shell/useSession";

export type Note = Schemas["NoteRow"];

interface Props {
  kind: string;
  id: number;
  notes: readonly Note[];
}

/** What people noted of days on a course, by the number that stands on the line; and a form for one more. */
export function Notes({ kind, id, notes }: Props) {
  const { data: session } = useSession();
  const drop = useChange((note: number) =>
    unwrap(api.DELETE("/api/capacity/notes/{id}/", { params: { path: { id: note } } })),
  );
  if (notes.length === 0 && !session?.may_change) return null;
  return (
    <Box component="section" aria-label="Notes" sx={{ mt: 0.5 }}>
      {notes.map((note, place) => (
        <Box key={note.id} sx={{ display: "flex", gap: 1, alignItems: "center", fontSize: 13 }}>
          <span className="mono">{place + 1}</span>
          <span className="mono" style={{ color: "var(--mute)" }}>
            {note.day}
          </span>
          <span>{note.text}</span>
          <span style={{ color: "var(--mute)", fontSize: 12 }}>{note.noted_by}</span>
          {session?.may_change && (
            <Button
              size="small"
              sx={{ minWidth: 28 }}
              aria-label={`Delete the note of ${note.day}: ${note.text}`}
              disabled={drop.isPending}
              onClick={() => {
                drop.mutate(note.id);
              }}
            >
              ✕
            </Button>
          )}
        </Box>
      ))}
      {session?.may_change && <AddNote kind={kind} id={id} />}
      <ProblemAlert error={drop.error} />
    </Box>
  );
}

function AddNote({ kind, id }: { kind: string; id: number }) {
  const [day, setDay] = useState("");
  const [text, setText] = useState("");
  const add = useChange(
    () =>
      unwrap(
        api.POST("/api/capacity/{kind}/{id}/notes/", {
          params: { path: { kind, id } },
          body: { day, text: text.trim() },
        }),
      ),
    () => {
      setText("");
    },
  );
  return (
    <Box
      component="form"
      aria-label="Note something"
      sx={{ display: "flex", gap: 1, alignItems: "center", mt: 0.75, flexWrap: "wrap" }}
      onSubmit={(event) => {
        event.preventDefault();
        if (day && text.trim()) add.mutate();
      }}
    >
      <TextField
        size="small"
        type="date"
        label="day"
        value={day}
        sx={{ width: 160 }}
        slotProps={{ inputLabel: { shrink: true } }}
        onChange={(event) => {
          setDay(event.target.value);
        }}
      />
      <TextField
        size="small"
        label="what happened"
        value={text}
        sx={{ width: 300 }}
        slotProps={{ htmlInput: { maxLength: 200 } }}
        onChange={(event) => {
          setText(event.target.value);
        }}
      />
      <Button type="submit" size="small" variant="outlined" disabled={!day || !text.trim() || add.isPending}>
        Note it
      </Button>
      <ProblemAlert error={add.error} />
    </Box>
  );
}
