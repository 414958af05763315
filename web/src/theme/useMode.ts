import useMediaQuery from "@mui/material/useMediaQuery";
import { useCallback, useState } from "react";
import type { Mode } from "./tokens";

const KEY = "movelot.mode";

/** Light or dark: as chosen, else as the system prefers. */
export function useMode(): { mode: Mode; setMode: (mode: Mode) => void } {
  const prefersDark = useMediaQuery("(prefers-color-scheme: dark)");
  const [chosen, setChosen] = useState<string | null>(() => localStorage.getItem(KEY));
  const setMode = useCallback((mode: Mode) => {
    localStorage.setItem(KEY, mode);
    setChosen(mode);
  }, []);
  const mode: Mode = chosen === "dark" || chosen === "light" ? chosen : prefersDark ? "dark" : "light";
  return { mode, setMode };
}
