import { screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Schemas } from "../api/problem";
import { person as ines } from "../tests/data";
import { type Asked, renderPage, serve } from "../tests/server";
import { type, user } from "../tests/user";
import { AccountPage } from "./AccountPage";
import { PeoplePage } from "./PeoplePage";
import { SettingsPage } from "./SettingsPage";

const sent = (asked: readonly Asked[], key: string) =>
  asked.filter((each) => each.key === key).map(({ body }) => body);
const una: Schemas["Session"] = {
  ...ines,
  name: "una.keel",
  role: "administrator",
  may_change: false,
  administers: true,
};
const signIn = (part: Partial<Schemas["SignInAnswer"]>): Schemas["SignInAnswer"] => ({
  id: 1,
  person: "ines.marrow",
  address: "10.40.1.7",
  browser: "a browser",
  began_at: "2026-11-27T08:00:00Z",
  seen_at: "2026-11-27T08:30:00Z",
  this: false,
  ...part,
});
const tobias: Schemas["PersonAnswer"] = {
  id: 2,
  name: "tobias.wren",
  role: "storage",
  active: true,
  invited: false,
  locked: true,
  seen_at: null,
};
const token: Schemas["TokenAnswer"] = {
  id: 5,
  person: "ines.marrow",
  name: "nightly",
  reads_only: true,
  made_at: "2026-11-27T08:00:00Z",
  expires_at: "2027-02-27T08:00:00Z",
  used_at: null,
  secret: "movelot_once",
};

describe("one's account", () => {
  it("changes the password once both new ones are the same and long enough", async () => {
    const asked = serve({
      "GET /api/session/": ines,
      "GET /api/sign-ins/": [],
      "GET /api/tokens/": [],
      "PUT /api/session/password/": null,
    });
    renderPage(<AccountPage />);
    await type(await screen.findByLabelText("Old password"), "the old one");
    await type(screen.getByLabelText("New password"), "a new long password");
    await type(screen.getByLabelText("The same again"), "a new long passwort");
    expect(screen.getByRole("button", { name: "Change it" })).toBeDisabled();
    expect(screen.getByText("The two are not the same.")).toBeVisible();
    await user.clear(screen.getByLabelText("The same again"));
    await type(screen.getByLabelText("The same again"), "a new long password");
    await user.click(screen.getByRole("button", { name: "Change it" }));
    expect(await screen.findByText(/It is changed/)).toBeVisible();
    expect(sent(asked, "PUT /api/session/password/")).toEqual([
      { old: "the old one", new: "a new long password" },
    ]);
  });

  it("signs another browser out, never the one in use", async () => {
    const asked = serve({
      "GET /api/session/": ines,
      "GET /api/sign-ins/": [signIn({ this: true }), signIn({ id: 7, address: "10.40.1.9" })],
      "GET /api/tokens/": [],
      "DELETE /api/sign-ins/7/": null,
    });
    renderPage(<AccountPage />);
    const row = (await screen.findByText("10.40.1.9")).closest("tr") ?? document.body;
    expect(screen.getAllByRole("button", { name: /^Sign out/ })).toHaveLength(1);
    await user.click(within(row).getByRole("button", { name: /^Sign out/ }));
    await user.click(screen.getByRole("button", { name: "Sign it out" }));
    await waitFor(() => {
      expect(sent(asked, "DELETE /api/sign-ins/7/")).toHaveLength(1);
    });
  });

  it("shows a new token once", async () => {
    serve({
      "GET /api/session/": ines,
      "GET /api/sign-ins/": [],
      "GET /api/tokens/": [],
      "POST /api/tokens/": token,
    });
    renderPage(<AccountPage />);
    await type(await screen.findByLabelText("Name, as nightly-report"), "nightly");
    await user.click(screen.getByRole("button", { name: "Make it" }));
    expect(await screen.findByText("movelot_once")).toBeVisible();
    await user.click(screen.getByRole("button", { name: "I have it" }));
    expect(screen.queryByText("movelot_once")).toBeNull();
  });
});

describe("people", () => {
  it("are let in by a link that is shown once", async () => {
    const petra = { ...tobias, id: 9, name: "petra.vane", role: "auditor", locked: false, invited: true };
    serve({
      "GET /api/session/": una,
      "GET /api/people/": [tobias],
      "POST /api/people/": { person: petra, link: "/welcome#abc" },
    });
    renderPage(<PeoplePage />);
    await type(await screen.findByLabelText("Name, as ines.marrow"), "petra.vane");
    await user.click(screen.getByRole("button", { name: "Make a link for them" }));
    expect(await screen.findByText(/\/welcome#abc$/)).toBeVisible();
  });

  it("are unlocked, and kept out only once it was said what that does", async () => {
    const asked = serve({
      "GET /api/session/": una,
      "GET /api/people/": [tobias],
      "DELETE /api/people/2/lock/": null,
      "PUT /api/people/2/": { ...tobias, active: false },
    });
    renderPage(<PeoplePage />);
    expect(await screen.findByText("locked after failed sign-ins")).toBeVisible();
    await user.click(screen.getByRole("button", { name: "Unlock" }));
    await user.click(screen.getByRole("button", { name: "Keep out tobias.wren" }));
    expect(sent(asked, "PUT /api/people/2/")).toEqual([]);
    await user.click(screen.getByRole("button", { name: "Keep them out" }));
    await waitFor(() => {
      expect(sent(asked, "PUT /api/people/2/")).toEqual([{ role: "storage", active: false }]);
    });
  });

  it("are nothing for who is no administrator", async () => {
    serve({ "GET /api/session/": ines });
    renderPage(<PeoplePage />);
    expect(await screen.findByText("This is for administrators.")).toBeVisible();
  });
});

describe("settings", () => {
  it("say where devices may be, and allow one more network", async () => {
    const asked = serve({
      "GET /api/session/": una,
      "GET /api/networks/": [],
      "GET /api/retention/": { gone_days: 400, figures_days: 1100, trail_days: 0 },
      "GET /api/capacity/watch/": { runway_days: 45, promised_percent: 100 },
      "PUT /api/capacity/watch/": { runway_days: 60, promised_percent: 100 },
      "POST /api/networks/": {
        id: 1,
        cidr: "10.40.0.0/16",
        note: "",
        added_by: "una.keel",
        added_at: "2026-11-27T08:00:00Z",
      },
      "PUT /api/retention/": { gone_days: 30, figures_days: 1100, trail_days: 0 },
    });
    renderPage(<SettingsPage />);
    expect(await screen.findByText(/Anywhere but at this machine itself/)).toBeVisible();
    await type(screen.getByLabelText("Network, as 10.40.0.0/16"), "10.40.0.0/16");
    await user.click(screen.getByRole("button", { name: "Allow it" }));
    await waitFor(() => {
      expect(sent(asked, "POST /api/networks/")).toEqual([{ cidr: "10.40.0.0/16", note: "" }]);
    });
    const days = screen.getByLabelText(/no device lists any more/);
    await user.clear(days);
    await type(days, "30");
    await user.click(screen.getByRole("button", { name: "Keep them so long" }));
    await waitFor(() => {
      expect(sent(asked, "PUT /api/retention/")).toEqual([
        { gone_days: 30, figures_days: 1100, trail_days: 0 },
      ]);
    });
    const runway = screen.getByLabelText(/Days of runway/);
    await user.clear(runway);
    await type(runway, "60");
    await user.click(screen.getByRole("button", { name: "Tell of it from then on" }));
    await waitFor(() => {
      expect(sent(asked, "PUT /api/capacity/watch/")).toEqual([{ runway_days: 60, promised_percent: 100 }]);
    });
  });
});
