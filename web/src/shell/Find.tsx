import Autocomplete from "@mui/material/Autocomplete";
import Box from "@mui/material/Box";
import Dialog from "@mui/material/Dialog";
import TextField from "@mui/material/TextField";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useDeferredValue } from "react";
import { useNavigate } from "react-router";
import { ProblemAlert } from "../parts/ProblemAlert";
import { useUnit } from "../parts/unit";
import { pagesCalled } from "./pages";
import { findQuery } from "./queries";

interface Hit {
  kind: string;
  name: string;
  note: string;
  to: string;
}

/** Where a thing is looked at: most have a trace; a cluster is seen by its paths, a switch by what hangs on it. */
function addressOf({ kind, id, name }: { kind: string; id: number; name: string }): string {
  if (kind === "cluster") return `/attach/paths?${new URLSearchParams({ cluster: name }).toString()}`;
  if (kind === "switch") return `/attach/loss?${new URLSearchParams({ kind, name }).toString()}`;
  return `/trace/${kind}/${String(id)}`;
}

interface Props {
  text: string;
  onText: (text: string) => void;
  onClose: () => void;
}

/** Find: any thing by what pages show of it, and the pages. */
export function Find({ text, onText, onClose }: Props) {
  const wanted = useDeferredValue(text.trim());
  const navigate = useNavigate();
  const { size } = useUnit();
  const found = useQuery({ ...findQuery(wanted), enabled: wanted !== "", placeholderData: keepPreviousData });
  const things = (wanted ? (found.data?.hits ?? []) : []).map((hit): Hit => ({
    kind: hit.kind.replace("_", " "),
    name: hit.name,
    note: [hit.size_bytes === null ? "" : size(hit.size_bytes), hit.note].filter(Boolean).join(" · "),
    to: addressOf(hit),
  }));
  const pages = pagesCalled(wanted).map(({ name, path }): Hit => ({
    kind: "page",
    name,
    note: "",
    to: path,
  }));
  return (
    <Dialog
      open
      onClose={onClose}
      aria-label="Find"
      slotProps={{
        paper: { sx: { width: 560, maxWidth: "calc(100vw - 32px)", position: "absolute", top: 44, m: 2 } },
      }}
    >
      <Autocomplete
        open
        autoHighlight
        disablePortal
        forcePopupIcon={false}
        options={[...things, ...pages]}
        filterOptions={(all) => all}
        getOptionLabel={(hit) => hit.name}
        getOptionKey={(hit) => `${hit.kind} ${hit.to}`}
        inputValue={text}
        onInputChange={(_event, value, reason) => {
          if (reason !== "reset") onText(value);
        }}
        onChange={(_event, hit) => {
          if (!hit) return;
          onClose();
          void navigate(hit.to);
        }}
        noOptionsText={
          found.isFetching
            ? "Looking…"
            : `Nothing is called “${wanted}”. Names, addresses, serials, initiators, paths and labels are searched.`
        }
        renderInput={(params) => (
          <TextField
            {...params}
            autoFocus
            label="Find"
            placeholder="Name, address, serial, initiator, path or label"
            sx={{ p: 1.5 }}
          />
        )}
        renderOption={({ key, ...props }, hit) => (
          <Box component="li" key={key} {...props} sx={{ gap: 1.25 }}>
            <Box component="span" sx={{ color: "var(--mute)", width: 74, flex: "none", fontSize: 12 }}>
              {hit.kind}
            </Box>
            <strong>{hit.name}</strong>
            <Box component="span" sx={{ color: "var(--mute)", fontSize: 12 }}>
              {hit.note}
            </Box>
          </Box>
        )}
        slotProps={{
          popper: {
            sx: { position: "static !important", transform: "none !important", width: "100% !important" },
          },
          listbox: { sx: { maxHeight: "min(420px, 60vh)" }, "aria-label": "Found" },
        }}
      />
      <ProblemAlert error={found.error} />
    </Dialog>
  );
}
