import { screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Schemas } from "../api/problem";
import { auditor, lot, person, summary, TIB } from "../tests/data";
import { renderPage, serve, type Answers } from "../tests/server";
import { type, user } from "../tests/user";
import { FilePage } from "./FilePage";

const form: Schemas["FileForm"] = {
  cluster: "quayside",
  name: "",
  size: "",
  pool: null,
  server: "",
  version: "NFSv4_1",
  clients: "hosts",
  limits: true,
};
const server = (id: number, name: string, reached: number): Schemas["ServerRow"] => ({
  id,
  name,
  address: `10.40.10.1${String(id)}`,
  controller: "A",
  subnet: "10.40.10.0/24",
  reached,
  mounts: 3,
});
const plan: Schemas["FilePlan"] = {
  cluster: "quayside",
  array: "shale",
  size_bytes: null,
  path: "",
  server: "shale-a.example",
  version: "NFSv4_1",
  clients: [],
  problems: [],
  pools: [
    {
      id: 7,
      name: "shale-deep",
      array: "shale",
      capacity_bytes: 32 * TIB,
      allocated_bytes: TIB,
      free_bytes: 31 * TIB,
      subscription_after: 0.1,
      quota_left_bytes: null,
      reduces: [],
      tiered: false,
      made_of: "",
      verdict: "fits",
      text: "fits",
    },
  ],
  pool: "shale-deep",
  pool_id: 7,
  servers: [server(1, "shale-a.example", 2), server(2, "shale-b.example", 1)],
  hosts: [
    { name: "quay-01", port: "files", address: "10.40.10.101", obstacle: "" },
    { name: "quay-02", port: "", address: "", obstacle: "files has no active uplink" },
  ],
  limits: [{ host: "quay-01", setting: "retries", label: "retries", unit: "", now: 2, wanted: 4 }],
  volumes: [],
};
const draft = (part: Partial<Schemas["FilePlan"]> = {}): Schemas["FileDraft"] => ({
  lot: lot({ summary: summary({ kind: "attach_file" }) }),
  form,
  plan: { ...plan, ...part },
});
const PATH = "/api/attach/file-drafts/9/";
const answers = (more: Answers = {}): Answers => ({
  "GET /api/session/": person,
  "GET /api/balance/groups/": [],
  "GET /api/attach/file-drafts/9/": draft(),
  "PUT /api/attach/file-drafts/9/": (sent: Schemas["FileForm"]) => ({ ...draft(), form: sent }),
  ...more,
});
const open = () => renderPage(<FilePage />, "/attach/file?lot=9");

describe("file storage", () => {
  it("names the host that cannot mount, and the settings that differ", async () => {
    serve(answers());
    open();
    const hosts = await screen.findByRole("region", { name: "Hosts" });
    expect(within(hosts).getByText(/files has no active uplink/)).toBeVisible();
    expect(within(hosts).getByText("retries 2 → 4")).toBeVisible();
    expect(screen.getByText("1 of 2 hosts reach it")).toBeVisible();
  });

  it("keeps what is typed", async () => {
    const asked = serve(answers());
    open();
    await screen.findByRole("region", { name: "Hosts" });
    await type(screen.getByRole("textbox", { name: "Datastore name" }), "sand-05");
    await type(screen.getByRole("textbox", { name: "Size" }), "2 TiB");
    await waitFor(() => {
      expect(asked.findLast((each) => each.key === `PUT ${PATH}`)?.body).toEqual({
        ...form,
        name: "sand-05",
        size: "2 TiB",
      });
    });
  });

  it("lets another server interface and the settings be chosen", async () => {
    const asked = serve(answers());
    open();
    await user.click(await screen.findByRole("radio", { name: /shale-b/ }));
    await user.click(screen.getByRole("checkbox", { name: /Set them as shale recommends/ }));
    await waitFor(() => {
      expect(asked.findLast((each) => each.key === `PUT ${PATH}`)?.body).toMatchObject({
        server: "shale-b.example",
        limits: false,
      });
    });
  });

  it("says what is wrong beside its field", async () => {
    const problem = {
      field: "name",
      code: "name_taken",
      message: "It exists already.",
      hint: "Choose another.",
    };
    serve(answers({ "GET /api/attach/file-drafts/9/": draft({ problems: [problem] }) }));
    open();
    expect(await screen.findByText("It exists already. Choose another.")).toBeVisible();
  });

  it("is only looked at by the auditor", async () => {
    serve(answers({ "GET /api/session/": auditor }));
    open();
    await screen.findByText("Your role reads only.");
    expect(screen.getByRole("textbox", { name: "Size" })).toBeDisabled();
  });

  it("leads back to Attach without a draft", () => {
    serve(answers());
    renderPage(<FilePage />, "/attach/file");
    expect(screen.getByRole("link", { name: "Attach" })).toHaveAttribute("href", "/attach");
  });
});
