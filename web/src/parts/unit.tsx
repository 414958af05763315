import { createContext, type ReactNode, useCallback, useContext, useMemo, useState } from "react";
import { formatSize, type Unit } from "./format";

const KEY = "movelot.unit";

interface UnitChoice {
  unit: Unit;
  toggle: () => void;
  size: (bytes: number) => string;
}

const UnitContext = createContext<UnitChoice>({
  unit: "TiB",
  toggle: () => undefined,
  size: (bytes) => formatSize(bytes, "TiB"),
});

/** Keeps the base in which sizes are shown. */
export function UnitProvider({ children }: { children: ReactNode }) {
  const [unit, setUnit] = useState<Unit>(() => (localStorage.getItem(KEY) === "TB" ? "TB" : "TiB"));
  const toggle = useCallback(() => {
    setUnit((before) => {
      const after = before === "TiB" ? "TB" : "TiB";
      localStorage.setItem(KEY, after);
      return after;
    });
  }, []);
  const value = useMemo(
    () => ({ unit, toggle, size: (bytes: number) => formatSize(bytes, unit) }),
    [unit, toggle],
  );
  return <UnitContext value={value}>{children}</UnitContext>;
}

export const useUnit = (): UnitChoice => useContext(UnitContext);
