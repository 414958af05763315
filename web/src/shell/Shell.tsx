import Box from "@mui/material/Box";
import { useQueryClient } from "@tanstack/react-query";
import { useSnackbar } from "notistack";
import { useEffect, useState } from "react";
import { Outlet, useNavigate } from "react-router";
import { api, unwrap } from "../api/client";
import { problemOf, type Schemas } from "../api/problem";
import { useJob } from "../jobs/useJob";
import { useUnit } from "../parts/unit";
import type { Mode } from "../theme/tokens";
import { Find } from "./Find";
import { KeysHelp } from "./KeysHelp";
import { useStatus } from "./useStatus";
import { TopStrip } from "./TopStrip";
import { Tray } from "./Tray";
import { TrayProvider, useTray } from "./trayState";
import { useShortcuts } from "./useShortcuts";
import { countOf } from "../parts/format";

interface Props {
  mode: Mode;
  setMode: (mode: Mode) => void;
}

/** The frame: strip above, page in the middle, tray at the right. */
export function Shell(props: Props) {
  return (
    <TrayProvider>
      <Frame {...props} />
    </TrayProvider>
  );
}

function Frame({ mode, setMode }: Props) {
  const [open, setOpen] = useState<"find" | "keys" | null>(null);
  const navigate = useNavigate();
  const { toggle } = useUnit();
  const { fold } = useTray();
  const reread = useReread();
  const { data: status } = useStatus();
  useShortcuts({
    "/": () => {
      setOpen("find");
    },
    "?": () => {
      setOpen("keys");
    },
    l: fold,
    u: toggle,
    r: () => {
      reread.start();
    },
    ...Object.fromEntries(
      (status?.tabs ?? []).map((tab) => [`g ${tab.letter}`, () => void navigate(tab.path)]),
    ),
    "g d": () => void navigate("/devices"),
  });
  const close = () => {
    setOpen(null);
  };
  return (
    <Box
      sx={{
        height: "100vh",
        display: "grid",
        gridTemplateRows: "52px minmax(0, 1fr)",
        gridTemplateColumns: "minmax(0, 1fr) auto",
      }}
    >
      <TopStrip
        mode={mode}
        setMode={setMode}
        onFind={() => {
          setOpen("find");
        }}
        onKeys={() => {
          setOpen("keys");
        }}
        reread={() => {
          reread.start();
        }}
        rereading={reread.isPending ? reread.progress || "reading…" : ""}
      />
      <Box component="main" sx={{ overflow: "auto", p: "14px 18px 24px", minWidth: 0 }}>
        <Outlet />
      </Box>
      <Tray />
      {open === "find" && <Find onClose={close} />}
      {open === "keys" && <KeysHelp onClose={close} />}
    </Box>
  );
}

function useReread() {
  const queries = useQueryClient();
  const { enqueueSnackbar } = useSnackbar();
  const job = useJob({
    ask: () => unwrap(api.POST("/api/devices/reread/")),
    look: (ended) => Promise.resolve(ended.result as Schemas["DevicesRead"]),
    onSuccess: ({ devices, failed }) => {
      const away = Object.values(failed);
      enqueueSnackbar(away.length ? away.join(" ") : `${countOf(devices, "device")} read.`);
      void queries.invalidateQueries();
    },
  });
  const { error } = job;
  useEffect(() => {
    if (error) enqueueSnackbar(problemOf(error).title);
  }, [error, enqueueSnackbar]);
  return job;
}
