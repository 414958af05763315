import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, unwrap } from "../api/client";
import { useDraft } from "../lots/useDraft";
import { AskedButton } from "../parts/AskedButton";
import { ProblemAlert } from "../parts/ProblemAlert";
import { datastoresQuery, type Image } from "./queries";

/** What can be done with an image as it stands. */
export function ImageActs({ image }: { image: Image }) {
  const kept = image.disks.some((disk) => disk.datastore);
  return (
    <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap", alignItems: "center" }}>
      {image.state === "checked" && !kept && <Keep image={image} />}
      {kept && <Delete image={image} />}
      {!kept && (
        <AskedButton
          label="Forget"
          subject={image.name}
          act="Forget it"
          change={() => unwrap(api.DELETE("/api/images/{id}/", { params: { path: { id: image.id } } }))}
        >
          What of it is on Move Lot&apos;s machine is deleted.
        </AskedButton>
      )}
    </Box>
  );
}

function Keep({ image }: { image: Image }) {
  const draft = useDraft();
  const { data: stores } = useQuery(datastoresQuery());
  return (
    <>
      <TextField
        select
        size="small"
        value=""
        sx={{ minWidth: 130 }}
        disabled={draft.isPending}
        slotProps={{
          select: {
            displayEmpty: true,
            renderValue: () => "Keep on …",
            inputProps: { "aria-label": `Keep ${image.name} on` },
          },
        }}
        onChange={(event) => {
          draft.mutate({
            kind: "keep_image",
            form: { image: image.id, datastore: Number(event.target.value) },
          });
        }}
      >
        {(stores?.results ?? []).map((store) => (
          <MenuItem key={store.id} value={String(store.id)}>
            {store.name}
          </MenuItem>
        ))}
      </TextField>
      <ProblemAlert error={draft.error} />
    </>
  );
}

function Delete({ image }: { image: Image }) {
  const draft = useDraft();
  const [asked, setAsked] = useState(false);
  const [confirm, setConfirm] = useState("");
  if (!asked) {
    return (
      <Button
        size="small"
        aria-label={`Delete ${image.name}`}
        onClick={() => {
          setAsked(true);
        }}
      >
        Delete
      </Button>
    );
  }
  return (
    <Box
      component="form"
      aria-label={`Type ${image.name} to say that it is meant`}
      sx={{ display: "flex", gap: 1, flexWrap: "wrap" }}
      onSubmit={(event) => {
        event.preventDefault();
        draft.mutate({ kind: "delete_image", form: { image: image.id, confirm } });
      }}
    >
      <TextField
        size="small"
        value={confirm}
        placeholder={image.name}
        slotProps={{ htmlInput: { "aria-label": `Type ${image.name}` } }}
        onChange={(event) => {
          setConfirm(event.target.value);
        }}
      />
      <Button type="submit" variant="outlined" disabled={confirm !== image.name || draft.isPending}>
        Draft lot
      </Button>
      <ProblemAlert error={draft.error} />
    </Box>
  );
}
