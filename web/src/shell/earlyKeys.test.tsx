import { fireEvent, screen, waitFor } from "@testing-library/react";
import { Route, Routes } from "react-router";
import { expect, it } from "vitest";
import { person, quietRounds, status } from "../tests/data";
import { renderPage, serve } from "../tests/server";
import { Shell } from "./Shell";

// A file of its own: once its script is there, find no longer makes anybody wait.
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
  fireEvent.keyDown(document.body, { key: "/" });
  const letters = "abcdefghijklmnopqrstuvwxyz";
  let typed = "";
  const field = await waitFor(
    () => {
      const found = screen.queryByRole("combobox");
      if (found) return found;
      const key = letters.charAt(typed.length % letters.length);
      fireEvent.keyDown(document.body, { key });
      typed += key;
      throw new Error("Find is not there yet.");
    },
    { interval: 5 },
  );
  expect(typed).not.toBe("");
  expect(field).toHaveValue(typed);
});
