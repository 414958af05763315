import { useEffect, useRef } from "react";

const CHORD_MS = 900;
const OFF = "movelot.keys.off";

/** Single keys can be switched off, as speech input and some readers type them by accident. */
export const keysAreOff = (): boolean => localStorage.getItem(OFF) !== null;
export function switchKeys(off: boolean): void {
  if (off) localStorage.setItem(OFF, "1");
  else localStorage.removeItem(OFF);
}

const FIELDS =
  "input, textarea, select, [contenteditable=true], [role=combobox], [role=listbox], [role=menu], [role=slider]";

/** Whether a key belongs to what has the focus, or to what lies open over the page. */
function isTakenBy(target: EventTarget | null): boolean {
  if (target instanceof HTMLElement && target.closest(FIELDS)) return true;
  return document.querySelector("[role=dialog], [role=listbox], [role=menu]") !== null;
}

/**
 * Calls the action of a pressed key; `G` followed by a letter is the key "g r", "g b" and so on. Keys typed into a
 * field, a list or a dialog, or with a modifier, are left alone.
 */
export function useShortcuts(actions: Record<string, () => void>): void {
  const latest = useRef(actions);
  const chordSince = useRef(0);
  useEffect(() => {
    latest.current = actions;
  });
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (event.defaultPrevented || event.ctrlKey || event.metaKey || event.altKey) return;
      if (keysAreOff() || isTakenBy(event.target)) return;
      const letter = event.key.toLowerCase();
      const chord = Date.now() - chordSince.current < CHORD_MS;
      chordSince.current = letter === "g" ? Date.now() : 0;
      const action = latest.current[chord ? `g ${letter}` : letter];
      if (action) {
        event.preventDefault();
        action();
      }
    };
    window.addEventListener("keydown", onKey);
    return () => {
      window.removeEventListener("keydown", onKey);
    };
  }, []);
}
