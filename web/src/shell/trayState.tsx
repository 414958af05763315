import { createContext, type ReactNode, useCallback, useContext, useMemo, useState } from "react";
import { useMediaQuery } from "@mui/material";
import { useLocation } from "react-router";

const KEY = "movelot.tray";
/** Where the page has no width to give, the tray lies over it. */
export const NARROW = "(max-width: 1000px)";

interface TrayState {
  lot: number | null;
  folded: boolean;
  /** It lies over the page instead of beside it. */
  over: boolean;
  /** What the open page adds above the steps, such as the hour strip of a plan. */
  extra: ReactNode;
  show: (lot: number | null) => void;
  fold: () => void;
  setExtra: (extra: ReactNode) => void;
}

const TrayContext = createContext<TrayState>({
  lot: null,
  folded: false,
  over: false,
  extra: null,
  show: () => undefined,
  fold: () => undefined,
  setExtra: () => undefined,
});

function remembered(): number | null {
  const lot = Number(localStorage.getItem(KEY));
  return lot > 0 ? lot : null;
}

/**
 * Which lot the tray holds; kept over a reload. The lot itself lives on the server.
 *
 * Without a lot in hand it is folded everywhere but on Rounds, and with the lot whose own page is open: that has all of it.
 * Who folds or opens it is heeded until one of these is another.
 */
export function TrayProvider({ children }: { children: ReactNode }) {
  const over = useMediaQuery(NARROW);
  const { pathname } = useLocation();
  const [lot, setLot] = useState<number | null>(remembered);
  const [choice, setChoice] = useState<{ place: string; folded: boolean } | null>(null);
  const [extra, setExtra] = useState<ReactNode>(null);
  const onLot = lot !== null && pathname === `/lots/${String(lot)}`;
  const usually = over || onLot || (lot === null && pathname !== "/");
  const place = `${String(over)} ${String(onLot)} ${String(pathname === "/")} ${String(lot)}`;
  const folded = choice?.place === place ? choice.folded : usually;
  const show = useCallback((next: number | null) => {
    if (next) localStorage.setItem(KEY, String(next));
    else localStorage.removeItem(KEY);
    setLot(next);
  }, []);
  const fold = useCallback(() => {
    setChoice({ place, folded: !folded });
  }, [folded, place]);
  const value = useMemo(
    () => ({ lot, folded, over, extra, show, fold, setExtra }),
    [lot, folded, over, extra, show, fold],
  );
  return <TrayContext value={value}>{children}</TrayContext>;
}

export const useTray = (): TrayState => useContext(TrayContext);
