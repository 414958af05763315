import { screen } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import { nobody, person } from "../tests/data";
import { Refusal, renderPage, serve } from "../tests/server";
import { type, user } from "../tests/user";
import { SessionGate } from "./SessionGate";

const show = () => {
  window.history.replaceState(null, "", "/welcome#abc");
  renderPage(
    <SessionGate>
      <h1>a page</h1>
    </SessionGate>,
  );
};

describe("a one-time link", () => {
  it("leads to a password of one's own, and in", async () => {
    const asked = serve({
      "GET /api/session/": nobody,
      "POST /api/welcome/": { name: "petra.vane", role: "storage" },
      "POST /api/welcome/accept/": person,
    });
    show();
    expect(await screen.findByText("petra.vane")).toBeVisible();
    await type(screen.getByLabelText("Password"), "short");
    await user.click(screen.getByRole("button", { name: "Set it and sign in" }));
    expect(screen.getByText("Choose at least 12 characters.")).toBeVisible();
    await type(screen.getByLabelText("Password"), "shorter than before");
    await type(screen.getByLabelText("The same again"), "shorter than before");
    await user.click(screen.getByRole("button", { name: "Set it and sign in" }));
    expect(await screen.findByRole("heading", { name: "a page" })).toBeVisible();
    expect(asked.find(({ key }) => key === "POST /api/welcome/accept/")?.body).toEqual({
      secret: "abc",
      name: "",
      password: "shorter than before",
    });
    // The secret stays in no history of the browser.
    expect(window.location.href).not.toContain("abc");
  });

  it("that was used says so, and where to go", async () => {
    const title = "This link is not valid any more.";
    serve({
      "GET /api/session/": nobody,
      "POST /api/welcome/": new Refusal(404, { code: "link_used", title, detail: "", hint: "" }),
    });
    show();
    expect(await screen.findByText(title)).toBeVisible();
    expect(screen.getByRole("link", { name: "To the sign-in" })).toHaveAttribute("href", "/");
    window.history.replaceState(null, "", "/");
  });
});
