import { fireEvent, screen, waitFor } from "@testing-library/react";
import { expect, it } from "vitest";
import { auditor, person } from "../tests/data";
import { renderPage, serve } from "../tests/server";
import { type, user } from "../tests/user";
import { Labels } from "./Labels";

const answers = { "GET /api/session/": person, "GET /api/labels/datastore/7/": { labels: ["team=berths"] } };

it("adds a label to those that are there, and takes one off", async () => {
  const asked = serve({
    ...answers,
    "PUT /api/labels/datastore/7/": { labels: ["team=berths", "tier=gold"] },
  });
  renderPage(<Labels kind="datastore" id={7} />);
  expect(await screen.findByText("team=berths")).toBeVisible();
  const field = await screen.findByRole("textbox", { name: "New label" });
  await type(field, "tier=gold");
  fireEvent.submit(field);
  expect(await screen.findByText("tier=gold")).toBeVisible();
  expect(field).toHaveValue("");
  await user.click(screen.getAllByTestId("CancelIcon")[0] as HTMLElement);
  await waitFor(() => {
    const puts = asked.filter((each) => each.key.startsWith("PUT")).map((each) => each.body);
    expect(puts).toEqual([{ labels: ["team=berths", "tier=gold"] }, { labels: ["tier=gold"] }]);
  });
});

it("is read only for those who may not change anything", async () => {
  serve({ ...answers, "GET /api/session/": auditor });
  renderPage(<Labels kind="datastore" id={7} />);
  expect(await screen.findByText("team=berths")).toBeVisible();
  expect(screen.queryByRole("textbox")).toBeNull();
  expect(screen.queryByTestId("CancelIcon")).toBeNull();
});

it("is not there for what has no labels", () => {
  const asked = serve(answers);
  renderPage(<Labels kind="array" id={1} />);
  expect(asked).toEqual([]);
});
