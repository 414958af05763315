import { useEffect, useRef } from "react";

const CHORD_MS = 900;

function typing(target: EventTarget | null): boolean {
  return (
    target instanceof HTMLElement &&
    (target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName))
  );
}

/**
 * Calls the action of a pressed key; `G` followed by a letter is the key "g r", "g b" and so on.
 * Keys typed into a field, or with a modifier, are left alone.
 */
export function useShortcuts(actions: Record<string, () => void>): void {
  const latest = useRef(actions);
  const chordSince = useRef(0);
  useEffect(() => {
    latest.current = actions;
  });
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (typing(event.target) || event.ctrlKey || event.metaKey || event.altKey) return;
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
