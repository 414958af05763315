import { render, screen } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import { HourStrip } from "./HourStrip";
import { Mark } from "./Mark";
import { ProblemAlert } from "./ProblemAlert";
import { LostAnswerError, ProblemError } from "../api/problem";

const hours = Array.from({ length: 24 }, (_, hour) => (hour === 10 ? 12 : 3));

describe("an hour strip", () => {
  it("has a bar an hour, those over the ceiling in another colour", () => {
    const { container } = render(<HourStrip title="Latency" now={hours} ceiling={9} />);
    const bars = [...container.querySelectorAll("rect")];
    expect(bars).toHaveLength(24);
    const over = bars.filter((bar) => bar.getAttribute("fill") === "var(--buoy)");
    expect(over).toEqual([bars[10]]);
    expect(screen.getByText("dashes: ceiling 9 ms")).toBeVisible();
  });

  it("adds a line an hour for the prediction and says which is which", () => {
    const { container } = render(
      <HourStrip title="Latency" now={hours} after={hours.map(() => 2)} ceiling={9} />,
    );
    expect(container.querySelectorAll("line")).toHaveLength(25);
    expect(screen.getByText("bars now, lines after")).toBeVisible();
  });
});

describe("a mark", () => {
  it.each(["clear", "part", "over", "missing", "unjudged", "chosen"] as const)(
    "is a shape with a word: %s",
    (kind) => {
      render(<Mark kind={kind} label={`is ${kind}`} />);
      expect(screen.getByRole("img", { name: `is ${kind}` })).toBeVisible();
    },
  );
});

describe("a problem", () => {
  it("says what happened, what stayed and the way on", () => {
    const problem = {
      status: 409,
      code: "stale",
      title: "The devices changed.",
      detail: "Nothing was changed.",
      hint: "Look again.",
    };
    render(<ProblemAlert error={new ProblemError(problem)} />);
    expect(screen.getByRole("alert")).toHaveTextContent(
      /The devices changed\..*Nothing was changed\..*Look again\./,
    );
  });

  it("is said of a silent server as well, and nothing where there is none", () => {
    const { rerender } = render(<ProblemAlert error={new LostAnswerError("GET")} />);
    expect(screen.getByRole("alert")).toHaveTextContent("server does not answer");
    rerender(<ProblemAlert error={null} />);
    expect(screen.queryByRole("alert")).toBeNull();
  });
});
