import Box from "@mui/material/Box";
import LinearProgress from "@mui/material/LinearProgress";
import { useQueryClient } from "@tanstack/react-query";
import { useSnackbar } from "notistack";
import { lazy, Suspense, useEffect, useRef, useState } from "react";
import { ErrorBoundary } from "react-error-boundary";
import { Outlet, useLocation, useNavigate, useNavigation } from "react-router";
import { api, unwrap } from "../api/client";
import { problemOf } from "../api/problem";
import { resultOf } from "../jobs/followed";
import { useJob } from "../jobs/useJob";
import { countOf } from "../parts/format";
import { ProblemAlert } from "../parts/ProblemAlert";
import { useUnit } from "../parts/unit";
import { KeepKeys } from "./KeepKeys";
import { PAGES, STRIP } from "./pages";
import { TopStrip } from "./TopStrip";
import { Tray } from "./Tray";
import { TrayProvider, useTray } from "./trayState";
import { Troubles } from "./Troubles";
import { useShortcuts } from "./useShortcuts";
import { useRevision } from "./useStatus";

const READY_MS = 1500;

// Not needed for the first page.
const Find = lazy(async () => ({ default: (await import("./Find")).Find }));
const KeysHelp = lazy(async () => ({ default: (await import("./KeysHelp")).KeysHelp }));

/** The frame: strip above, page in the middle, tray at the right. */
export function Shell() {
  return (
    <TrayProvider>
      <Frame />
    </TrayProvider>
  );
}

function Frame() {
  const [open, setOpen] = useState<"find" | "keys" | null>(null);
  const navigate = useNavigate();
  const { toggle } = useUnit();
  const { fold } = useTray();
  const reread = useReread();
  useRevision();
  useReady();
  const letters = [
    ...STRIP.map(({ strip, path }) => [`g ${strip?.letter ?? ""}`, path] as const),
    ...PAGES.flatMap(({ letter, path }) => (letter ? [[`g ${letter}`, path] as const] : [])),
  ];
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
    ...Object.fromEntries(letters.map(([key, path]) => [key, () => void navigate(path)])),
  });
  const close = () => {
    setOpen(null);
  };
  return (
    <Box
      sx={{
        height: "100vh",
        display: "grid",
        gridTemplateRows: "52px auto minmax(0, 1fr)",
        gridTemplateColumns: "minmax(0, 1fr) auto",
      }}
    >
      <SkipLink />
      <TopStrip
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
      <Troubles />
      <Main />
      <Tray />
      {open === "find" && (
        <KeepKeys>{(text, setText) => <Find text={text} onText={setText} onClose={close} />}</KeepKeys>
      )}
      <Suspense>{open === "keys" && <KeysHelp onClose={close} />}</Suspense>
    </Box>
  );
}

/** Loads what is likely to be wanted next, once there is nothing else to do. */
function useReady() {
  useEffect(() => {
    const timer = window.setTimeout(() => {
      void import("./Find");
    }, READY_MS);
    return () => {
      window.clearTimeout(timer);
    };
  }, []);
}

/** For those who come by keyboard: past the strip at once. */
function SkipLink() {
  return (
    <Box
      component="a"
      href="#page"
      sx={{
        position: "absolute",
        left: 8,
        top: -60,
        zIndex: 20,
        p: "8px 14px",
        background: "var(--card)",
        "&:focus": { top: 8 },
      }}
    >
      Skip to the page
    </Box>
  );
}

/** The open page. Going to another one takes the focus there; one that goes wrong leaves the frame as it is. */
function Main() {
  const { pathname } = useLocation();
  const coming = useNavigation().state === "loading";
  const main = useRef<HTMLElement>(null);
  const before = useRef(pathname);
  useEffect(() => {
    if (before.current === pathname) return;
    before.current = pathname;
    main.current?.focus({ preventScroll: true });
    main.current?.scrollTo({ top: 0 });
  }, [pathname]);
  return (
    <Box
      component="main"
      id="page"
      ref={main}
      tabIndex={-1}
      sx={{
        position: "relative",
        overflow: "auto",
        p: "14px 18px 24px",
        minWidth: 0,
        outline: "none !important",
        boxShadow: "none !important",
      }}
    >
      {coming && (
        <LinearProgress aria-label="Opening the page" sx={{ position: "absolute", inset: "0 0 auto 0" }} />
      )}
      <ErrorBoundary resetKeys={[pathname]} fallbackRender={({ error }) => <ProblemAlert error={error} />}>
        <Outlet />
      </ErrorBoundary>
    </Box>
  );
}

function useReread() {
  const queries = useQueryClient();
  const { enqueueSnackbar } = useSnackbar();
  const job = useJob({
    ask: () => unwrap(api.POST("/api/devices/reread/")),
    look: (ended) => Promise.resolve(resultOf(ended, "reread")),
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
