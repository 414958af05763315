const TOUCHED_MS = 60_000;
let touched = Date.now();

/** Notes that somebody is there, by keys and pointer; called once, when the application starts. */
export function watchPresence(): void {
  for (const name of ["keydown", "pointerdown", "pointermove", "wheel"] as const) {
    window.addEventListener(
      name,
      () => {
        touched = Date.now();
      },
      { passive: true },
    );
  }
}

/** Whether somebody touched keys or pointer within the last minute: pages ask the server also while nobody is there. */
export const isSomebodyThere = () => Date.now() - touched < TOUCHED_MS;
