import { fireEvent, render, screen } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import { useShortcuts } from "./useShortcuts";

function Page({ actions }: { actions: Record<string, () => void> }) {
  useShortcuts(actions);
  return <input aria-label="field" />;
}

describe("keys", () => {
  it("call their action, and chords theirs", () => {
    const actions = { r: vi.fn(), "g r": vi.fn(), g: vi.fn() };
    render(<Page actions={actions} />);
    fireEvent.keyDown(window, { key: "r" });
    expect(actions.r).toHaveBeenCalledTimes(1);
    fireEvent.keyDown(window, { key: "g" });
    fireEvent.keyDown(window, { key: "R" });
    expect(actions["g r"]).toHaveBeenCalledTimes(1);
    expect(actions.r).toHaveBeenCalledTimes(1);
  });

  it("are left alone in a field or with a modifier", () => {
    const actions = { r: vi.fn() };
    render(<Page actions={actions} />);
    fireEvent.keyDown(screen.getByLabelText("field"), { key: "r" });
    fireEvent.keyDown(window, { key: "r", ctrlKey: true });
    expect(actions.r).not.toHaveBeenCalled();
  });
});
