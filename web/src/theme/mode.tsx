import useMediaQuery from "@mui/material/useMediaQuery";
import { createContext, type ReactNode, useCallback, useContext, useMemo, useState } from "react";
import type { Mode } from "./tokens";

const KEY = "movelot.mode";

interface ModeChoice {
  mode: Mode;
  setMode: (mode: Mode) => void;
}

const ModeContext = createContext<ModeChoice>({ mode: "light", setMode: () => undefined });

/** Light or dark: as chosen, else as the system prefers. */
export function ModeProvider({ children }: { children: ReactNode }) {
  const prefersDark = useMediaQuery("(prefers-color-scheme: dark)");
  const [chosen, setChosen] = useState<string | null>(() => localStorage.getItem(KEY));
  const setMode = useCallback((mode: Mode) => {
    localStorage.setItem(KEY, mode);
    setChosen(mode);
  }, []);
  const mode: Mode = chosen === "dark" || chosen === "light" ? chosen : prefersDark ? "dark" : "light";
  const value = useMemo(() => ({ mode, setMode }), [mode, setMode]);
  return <ModeContext value={value}>{children}</ModeContext>;
}

export const useMode = (): ModeChoice => useContext(ModeContext);
