import Box from "@mui/material/Box";
import ButtonBase from "@mui/material/ButtonBase";
import Typography from "@mui/material/Typography";
import type { Schemas } from "../../api/problem";
import type { useDraft } from "../../lots/useDraft";
import { Panel } from "../../parts/Panel";

const BEGINNINGS: readonly (Required<Schemas["NewLotRequest"]> & { name: string; text: string })[] = [
  {
    kind: "attach",
    form: {},
    name: "Block volume",
    text: "iSCSI, FC or NVMe/TCP; formatted once, mounted on every host",
  },
  { kind: "attach_file", form: {}, name: "File storage", text: "an NFS export under one name everywhere" },
  { kind: "attach_set", form: {}, name: "Volume set", text: "each virtual disk a volume of its own" },
  { kind: "attach", form: { raw: true }, name: "Raw volume", text: "for one machine or a guest cluster" },
];

interface Props {
  draft: ReturnType<typeof useDraft>;
  mayChange: boolean;
}

/** What can be attached; each begins a draft. */
export function Beginnings({ draft, mayChange }: Props) {
  return (
    <Panel title="Attach something new">
      {BEGINNINGS.map(({ kind, form, name, text }) => (
        <ButtonBase
          key={name}
          disabled={!mayChange || draft.isPending}
          onClick={() => {
            draft.mutate({ kind, form });
          }}
          sx={{
            display: "flex",
            width: "100%",
            textAlign: "left",
            p: "8px 14px",
            fontSize: 13,
            "& + &": { borderTop: "1px solid var(--line)" },
            "&:hover": { background: "var(--tideSoft)" },
            "&.Mui-disabled": { color: "var(--mute)" },
          }}
        >
          <Box component="span" sx={{ flex: 1 }}>
            <strong>{name}</strong>
            <Box component="span" sx={{ display: "block", color: "var(--mute)", fontSize: 12.5 }}>
              {text}
            </Box>
          </Box>
          <span aria-hidden>›</span>
        </ButtonBase>
      ))}
      <Typography
        color="textSecondary"
        sx={{ p: "8px 14px", borderTop: "1px solid var(--line)", fontSize: 12.5 }}
      >
        {mayChange ? (
          <>
            A volume or export that is there already: find it with <kbd>/</kbd>, then use its trace.
          </>
        ) : (
          "Your role reads only; it may not draft lots."
        )}
      </Typography>
    </Panel>
  );
}
