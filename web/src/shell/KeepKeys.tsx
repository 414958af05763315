import { type ReactNode, Suspense, useLayoutEffect, useRef, useState } from "react";

interface Props {
  /** What the keys are meant for, with the text typed so far; it may still have to be loaded. */
  children: (text: string, setText: (text: string) => void) => ReactNode;
}

/** Keeps the keys that are typed while what they are meant for is on its way. */
export function KeepKeys({ children }: Props) {
  const [text, setText] = useState("");
  return (
    <Suspense
      fallback={
        <EarlyKeys
          onKey={(key) => {
            setText((typed) => typed + key);
          }}
        />
      }
    >
      {children(text, setText)}
    </Suspense>
  );
}

/** React keeps this for a while after the script is there, so that nothing flickers: the text lives above it. */
function EarlyKeys({ onKey }: { onKey: (key: string) => void }) {
  const latest = useRef(onKey);
  useLayoutEffect(() => {
    latest.current = onKey;
  });
  useLayoutEffect(() => {
    const keep = (event: KeyboardEvent) => {
      if (event.key.length !== 1 || event.ctrlKey || event.metaKey || event.altKey) return;
      event.preventDefault();
      event.stopPropagation();
      latest.current(event.key);
    };
    window.addEventListener("keydown", keep, { capture: true });
    return () => {
      window.removeEventListener("keydown", keep, { capture: true });
    };
  }, []);
  return null;
}
