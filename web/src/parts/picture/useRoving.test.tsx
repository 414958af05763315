import { render, screen } from "@testing-library/react";
import { beforeEach, describe, expect, it } from "vitest";
import { user } from "../../tests/user";
import { useRoving } from "./useRoving";

const COLUMNS = [["a1", "a2", "a3"], [], ["c1"]];

function Board() {
  const roving = useRoving(COLUMNS);
  return (
    // eslint-disable-next-line jsx-a11y/no-static-element-interactions
    <div onKeyDown={roving.onKeyDown}>
      {COLUMNS.flat().map((name) => (
        <button key={name} {...roving.stop(name)}>
          {name}
        </button>
      ))}
    </div>
  );
}

const focused = () => document.activeElement?.textContent;

describe("a picture of many things", () => {
  beforeEach(() => {
    render(<Board />);
  });

  it("is one tab stop", async () => {
    await user.tab();
    expect(focused()).toBe("a1");
    await user.tab();
    expect(document.activeElement).toBe(document.body);
  });

  it("is walked by arrow keys, past columns that are empty, into the last of one that is shorter", async () => {
    await user.tab();
    await user.keyboard("{ArrowDown}{ArrowDown}");
    expect(focused()).toBe("a3");
    await user.keyboard("{ArrowRight}");
    expect(focused()).toBe("c1");
    await user.keyboard("{ArrowLeft}");
    expect(focused()).toBe("a1");
  });

  it("stays where it is at its edges, and is left and entered at the same thing", async () => {
    await user.tab();
    await user.keyboard("{ArrowUp}{ArrowLeft}");
    expect(focused()).toBe("a1");
    await user.click(screen.getByRole("button", { name: "a2" }));
    await user.tab();
    await user.tab({ shift: true });
    expect(focused()).toBe("a2");
  });
});
