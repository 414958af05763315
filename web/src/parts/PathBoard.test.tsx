import { render, screen } from "@testing-library/react";
import { expect, it } from "vitest";
import type { Schemas } from "../api/problem";
import { PathBoard } from "./PathBoard";

it("names every path's state for those who do not see its mark", () => {
  const board: Schemas["Board"] = {
    portals: [
      { name: "A1", controller: "A", address: "10.40.8.11" },
      { name: "A2", controller: "A", address: "10.40.9.11" },
    ],
    hosts: [
      {
        name: "quay-03",
        seen: 1,
        expected: 2,
        reason: "storage-b has two active uplinks",
        paths: [
          { port: "storage-a", portal: "A1", state: "active", reason: "" },
          { port: "storage-b", portal: "A2", state: "missing", reason: "two uplinks" },
          { port: "storage-c", portal: "A2", state: "standby", reason: "" },
        ],
      },
    ],
    seen: 1,
    expected: 2,
  };
  render(<PathBoard board={board} title="Paths" />);
  expect(screen.getByRole("img", { name: "storage-a to A1: active" })).toBeVisible();
  expect(screen.getByRole("img", { name: "storage-b to A2: expected, missing" })).toBeVisible();
  expect(screen.getByRole("img", { name: "storage-c to A2: stands by" })).toBeVisible();
  expect(screen.getByText(/1 of 2 · storage-b has two active uplinks/)).toBeVisible();
});
