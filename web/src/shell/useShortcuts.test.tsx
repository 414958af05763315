import { render, screen } from "@testing-library/react";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { user } from "../tests/user";
import { switchKeys, useShortcuts } from "./useShortcuts";

function Page({ actions }: { actions: Record<string, () => void> }) {
  useShortcuts(actions);
  return (
    <>
      <input aria-label="field" />
      <button type="button" role="combobox" aria-expanded={false} aria-controls="none">
        a list
      </button>
    </>
  );
}

beforeEach(() => {
  switchKeys(false);
});

describe("keys", () => {
  it("call their action, and chords theirs", async () => {
    const actions = { r: vi.fn(), "g r": vi.fn(), g: vi.fn() };
    render(<Page actions={actions} />);
    await user.keyboard("r");
    expect(actions.r).toHaveBeenCalledTimes(1);
    await user.keyboard("gR");
    expect(actions["g r"]).toHaveBeenCalledTimes(1);
    expect(actions.r).toHaveBeenCalledTimes(1);
  });

  it("are left alone in a field or a list, or with a modifier", async () => {
    const actions = { r: vi.fn() };
    render(<Page actions={actions} />);
    await user.click(screen.getByLabelText("field"));
    await user.keyboard("r");
    await user.click(screen.getByRole("combobox"));
    await user.keyboard("r");
    screen.getByRole("combobox").blur();
    await user.keyboard("{Control>}r{/Control}");
    expect(actions.r).not.toHaveBeenCalled();
  });

  it("are left alone while a list or a dialog is open over the page", async () => {
    const actions = { r: vi.fn() };
    const page = render(<Page actions={actions} />);
    page.rerender(
      <>
        <Page actions={actions} />
        <ul role="listbox" aria-label="choices" />
      </>,
    );
    await user.keyboard("r");
    expect(actions.r).not.toHaveBeenCalled();
  });

  it("can be switched off", async () => {
    const actions = { r: vi.fn() };
    render(<Page actions={actions} />);
    switchKeys(true);
    await user.keyboard("r");
    expect(actions.r).not.toHaveBeenCalled();
  });
});
