import { screen, waitFor } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import { SIGNED_OUT } from "../api/client";
import { nobody, person } from "../tests/data";
import { Refusal, renderPage, serve } from "../tests/server";
import { type, user } from "../tests/user";
import { SessionGate } from "./SessionGate";

const page = (
  <SessionGate>
    <input aria-label="Datastore name" />
  </SessionGate>
);

const fill = async (name: string, password: string) => {
  await type(screen.getByLabelText("Name"), name);
  await type(screen.getByLabelText("Password"), password);
  await user.click(screen.getByRole("button", { name: "Sign in" }));
};

describe("signing in", () => {
  it("stands before every page", async () => {
    serve({ "GET /api/session/": nobody });
    renderPage(page);
    expect(await screen.findByRole("heading", { name: "Sign in to Move Lot" })).toBeVisible();
    expect(screen.queryByLabelText("Datastore name")).toBeNull();
  });

  it("opens the page once the name and password are right", async () => {
    let signedIn = false;
    const asked = serve({
      "GET /api/session/": () => (signedIn ? person : nobody),
      "POST /api/session/": () => {
        signedIn = true;
        return person;
      },
    });
    renderPage(page);
    await screen.findByLabelText("Name");
    await fill("ines.marrow", "a secret");
    expect(await screen.findByLabelText("Datastore name")).toBeVisible();
    expect(asked.find((each) => each.key.startsWith("POST"))?.body).toEqual({
      username: "ines.marrow",
      password: "a secret",
    });
  });

  it("says that the name is locked and for how long", async () => {
    const locked = { code: "locked", title: "Too many failed attempts.", detail: "Locked for 15 minutes." };
    serve({ "GET /api/session/": nobody, "POST /api/session/": new Refusal(429, locked) });
    renderPage(page);
    await screen.findByLabelText("Name");
    await fill("ines.marrow", "wrong");
    expect(await screen.findByRole("alert")).toHaveTextContent("15 minutes");
  });

  it("asks for both fields before it sends any", async () => {
    const asked = serve({ "GET /api/session/": nobody });
    renderPage(page);
    await screen.findByLabelText("Name");
    await user.click(screen.getByRole("button", { name: "Sign in" }));
    expect(await screen.findByText("Type your name.")).toBeVisible();
    expect(asked.filter((each) => each.key.startsWith("POST"))).toHaveLength(0);
  });

  it("comes over the open page when the session ends, and what was typed stays", async () => {
    let signedIn = true;
    serve({ "GET /api/session/": () => (signedIn ? person : nobody), "POST /api/session/": person });
    renderPage(page);
    const field = await screen.findByLabelText("Datastore name");
    await type(field, "berth-kept");
    signedIn = false;
    window.dispatchEvent(new Event(SIGNED_OUT));
    expect(await screen.findByText(/Your session has ended/)).toBeVisible();
    signedIn = true;
    await fill("ines.marrow", "a secret");
    await waitFor(() => {
      expect(screen.queryByText(/Your session has ended/)).toBeNull();
    });
    expect(screen.getByLabelText("Datastore name")).toHaveValue("berth-kept");
  });
});
