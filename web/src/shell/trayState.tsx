import { createContext, type ReactNode, useCallback, useContext, useMemo, useState } from "react";
import { useMediaQuery } from "@mui/material";

const KEY = "movelot.tray";

interface TrayState {
  lot: number | null;
  folded: boolean;
  /** What the open page adds above the steps, such as the hour strip of a plan. */
  extra: ReactNode;
  show: (lot: number | null) => void;
  fold: () => void;
  setExtra: (extra: ReactNode) => void;
}

const TrayContext = createContext<TrayState>({
  lot: null,
  folded: false,
  extra: null,
  show: () => undefined,
  fold: () => undefined,
  setExtra: () => undefined,
});

function remembered(): number | null {
  const lot = Number(localStorage.getItem(KEY));
  return lot > 0 ? lot : null;
}

/** Which lot the tray holds; kept over a reload. The lot itself lives on the server. */
export function TrayProvider({ children }: { children: ReactNode }) {
  const narrow = useMediaQuery("(max-width: 1000px)");
  const [lot, setLot] = useState<number | null>(remembered);
  const [choice, setChoice] = useState<boolean | null>(null);
  const [extra, setExtra] = useState<ReactNode>(null);
  const folded = choice ?? narrow;
  const show = useCallback((next: number | null) => {
    if (next) localStorage.setItem(KEY, String(next));
    else localStorage.removeItem(KEY);
    setLot(next);
  }, []);
  const fold = useCallback(() => {
    setChoice(!folded);
  }, [folded]);
  const value = useMemo(
    () => ({ lot, folded, extra, show, fold, setExtra }),
    [lot, folded, extra, show, fold],
  );
  return <TrayContext value={value}>{children}</TrayContext>;
}

export const useTray = (): TrayState => useContext(TrayContext);
