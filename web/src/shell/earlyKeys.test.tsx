import { fireEvent, screen, waitFor } from "@testing-library/react";
import { Route, Routes } from "react-router";
import { expect, it, vi } from "vitest";
import { person, quietRounds, status } from "../tests/data";
import { renderPage, serve } from "../tests/server";
import { Shell } from "./Shell";

// Its script comes when the test says so.
const script = await vi.hoisted(async () => (await import("../tests/server")).later<null>());
vi.mock("./Find", async (original) => {
  await script.promise;
  return original();
});

it("loses no key that is typed while find is on its way", async () => {
  serve({
    "GET /api/session/": person,
    "GET /api/status/": status({}),
    "GET /api/rounds/": quietRounds,
    "GET /api/find/": { hits: [] },
  });
  renderPage(
    <Routes>
      <Route element={<Shell />}>
        <Route path="*" element={<h1>a page</h1>} />
      </Route>
    </Routes>,
  );
  const letters = "abcdefghijklmnopqrstuvwxyz";
  let typed = "";
  const typeNext = () => {
    const key = letters.charAt(typed.length % letters.length);
    fireEvent.keyDown(document.body, { key });
    typed += key;
  };
  fireEvent.keyDown(document.body, { key: "/" });
  typeNext();
  script.come(null);
  const field = await waitFor(
    () => {
      const found = screen.queryByRole("combobox");
      if (found) return found;
      typeNext();
      throw new Error("Find is not there yet.");
    },
    { interval: 5 },
  );
  expect(field).toHaveValue(typed);
});
