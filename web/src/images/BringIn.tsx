import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { api, unwrap } from "../api/client";
import { CARD, CardHead } from "../parts/CardHead";
import { ProblemAlert } from "../parts/ProblemAlert";
import { useChange } from "../parts/useChange";
import { useUnit } from "../parts/unit";
import type { Images } from "./queries";
import { upload } from "./upload";

/** What a file or an address suggests as a name: its last part, without what says its format. */
const nameFrom = (text: string): string =>
  (text.split("/").at(-1) ?? "")
    .replace(/\.[A-Za-z0-9]+$/, "")
    .toLowerCase()
    .replaceAll(/[^a-z0-9.-]+/g, "-");

interface Props {
  images: Images;
  done: () => void;
}

/** The form that brings an image in: from an address of a depot, or a file of this computer. */
export function BringIn({ images, done }: Props) {
  const { size } = useUnit();
  const [url, setUrl] = useState("");
  const [file, setFile] = useState<File | null>(null);
  const [typed, setTyped] = useState<string | null>(null);
  const [checksum, setChecksum] = useState("");
  const [received, setReceived] = useState(0);
  const name = typed ?? nameFrom(file ? file.name : url);
  const bring = useChange(async () => {
    const from = file
      ? { url: "", file_name: file.name, file_bytes: file.size }
      : { url, file_name: "", file_bytes: 0 };
    const image = await unwrap(api.POST("/api/images/", { body: { name, checksum, ...from } }));
    if (file) await upload(image, file, images.part_bytes, setReceived);
  }, done);
  return (
    <Box
      component="form"
      aria-label="Bring in an image"
      sx={{ ...CARD, mb: 1.5 }}
      onSubmit={(event) => {
        event.preventDefault();
        bring.mutate();
      }}
    >
      <CardHead title="Bring in an image">{null}</CardHead>
      <Box sx={{ p: 1.5, display: "grid", gap: 1.5, gridTemplateColumns: { xs: "1fr", md: "2fr 1fr 2fr" } }}>
        <TextField
          size="small"
          label="Address"
          placeholder={images.depots[0]?.url ?? "no depot is allowed yet"}
          value={file ? "" : url}
          disabled={file !== null}
          autoComplete="off"
          slotProps={{ inputLabel: { shrink: true } }}
          helperText="of a qcow2, raw or OVA file in a depot"
          onChange={(event) => {
            setUrl(event.target.value.trim());
          }}
        />
        <Box>
          <Button component="label" variant="outlined">
            {file ? file.name : "or choose a file"}
            <input
              type="file"
              aria-label="File"
              hidden
              onChange={(event) => {
                setFile(event.target.files?.[0] ?? null);
              }}
            />
          </Button>
          {file && (
            <Button
              onClick={() => {
                setFile(null);
              }}
            >
              Leave it
            </Button>
          )}
        </Box>
        <TextField
          size="small"
          label="Checksum"
          placeholder="as its maker tells it"
          value={checksum}
          autoComplete="off"
          slotProps={{ inputLabel: { shrink: true } }}
          helperText="SHA-256, or SHA-1 or MD5; without one it is computed here"
          onChange={(event) => {
            setChecksum(event.target.value);
          }}
        />
        <TextField
          size="small"
          label="Name"
          value={name}
          autoComplete="off"
          slotProps={{ inputLabel: { shrink: true } }}
          onChange={(event) => {
            setTyped(event.target.value);
          }}
        />
        <Box sx={{ display: "flex", gap: 1, alignItems: "start" }}>
          <Button type="submit" variant="contained" disabled={bring.isPending || !name || (!file && !url)}>
            Bring in
          </Button>
          <Button onClick={done}>Not now</Button>
        </Box>
        <Box role="status" sx={{ alignSelf: "center" }}>
          {bring.isPending && file && `${size(received)} of ${size(file.size)} sent`}
        </Box>
      </Box>
      <ProblemAlert error={bring.error} />
    </Box>
  );
}
