import { screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import { auditor, GIB, lot, person } from "../tests/data";
import { Refusal, renderPage, serve } from "../tests/server";
import { type, user } from "../tests/user";
import { ImagesPage } from "./ImagesPage";
import type { Image, Images } from "./queries";

const image = (more: Partial<Image>): Image => ({
  id: 1,
  name: "harbour-linux",
  source: "https://depot.example/harbour-linux.qcow2",
  uploaded: false,
  state: "checked",
  reason: "",
  note: "checksum as it was given",
  sha256: "ab",
  file_bytes: 4 * GIB,
  received_bytes: 4 * GIB,
  format: "qcow2",
  os: "",
  processors: 0,
  memory_bytes: 0,
  disks: [{ number: 1, size_bytes: 10 * GIB, data_bytes: GIB, sha256: "cd", datastore: "" }],
  used_by: 0,
  by: "ines.marrow",
  at: "2026-11-27T20:00:00Z",
  ...more,
});
const kept = image({
  id: 2,
  name: "berth-scribe",
  state: "ready",
  disks: [{ number: 1, size_bytes: 10 * GIB, data_bytes: GIB, sha256: "cd", datastore: "berth-b" }],
  used_by: 3,
});
const images: Images = {
  images: [
    image({}),
    kept,
    image({ id: 3, name: "wrong", state: "failed", reason: "The image is encrypted.", note: "", disks: [] }),
    image({ id: 4, name: "coming", state: "receiving", received_bytes: GIB, note: "", disks: [] }),
  ],
  depots: [
    {
      id: 1,
      url: "https://depot.example/",
      own_certificate: false,
      added_by: "olga",
      added_at: "2026-11-27T20:00:00Z",
    },
  ],
  part_bytes: 4,
};
const berth = {
  id: 5,
  name: "berth-b",
  pool: "granite-fast",
  array: "granite",
  capacity_bytes: 100 * GIB,
  free_bytes: 50 * GIB,
  fill: 0.5,
  disks: 3,
  disk_bytes: 50 * GIB,
  snapshot_bytes: 0,
  hosts: 6,
};
const answers = {
  "GET /api/session/": person,
  "GET /api/images/": images,
  "GET /api/machines/datastores/": {
    count: 1,
    next: null,
    previous: null,
    results: [berth],
  },
};

describe("images", () => {
  it("say how each stands, where it is kept and what is wrong", async () => {
    serve(answers);
    renderPage(<ImagesPage />);
    expect(await screen.findByText("4 images · 1 ready for new machines")).toBeVisible();
    const row = (name: string) => screen.getByRole("row", { name: new RegExp(`^${name}`) });
    expect(row("harbour-linux")).toHaveTextContent("checkedchecksum as it was given");
    expect(row("berth-scribe")).toHaveTextContent("■ ready");
    expect(row("wrong")).toHaveTextContent("▲ failedThe image is encrypted.");
    expect(row("coming")).toHaveTextContent("receiving 25 %");
    expect(within(row("berth-scribe")).getByText("10.7 GB")).toBeVisible();
    expect(screen.getByRole("region", { name: "Depots" })).toHaveTextContent(
      "https://depot.example/by known authorities, allowed by olga",
    );
  });

  it("are kept and deleted by lots, the name typed first", async () => {
    const asked = serve({ ...answers, "POST /api/lots/": lot(), "GET /api/lots/9/": lot() });
    renderPage(<ImagesPage />);
    await user.click(await screen.findByRole("combobox", { name: "Keep harbour-linux on" }));
    await user.click(await screen.findByRole("option", { name: "berth-b" }));
    const drafts = () => asked.filter((each) => each.key === "POST /api/lots/").map((each) => each.body);
    await waitFor(() => {
      expect(drafts()).toEqual([{ kind: "keep_image", form: { image: 1, datastore: 5 } }]);
    });
    await user.click(screen.getByRole("button", { name: "Delete berth-scribe" }));
    const form = screen.getByRole("form", { name: "Type berth-scribe to say that it is meant" });
    expect(within(form).getByRole("button", { name: "Draft lot" })).toBeDisabled();
    await type(within(form).getByRole("textbox"), "berth-scribe");
    await user.click(within(form).getByRole("button", { name: "Draft lot" }));
    await waitFor(() => {
      expect(drafts()[1]).toEqual({ kind: "delete_image", form: { image: 2, confirm: "berth-scribe" } });
    });
  });

  it("are brought in from an address, which gives them a name", async () => {
    const asked = serve({ ...answers, "POST /api/images/": image({ state: "receiving" }) });
    renderPage(<ImagesPage />);
    await user.click(await screen.findByRole("button", { name: "Bring in" }));
    const form = screen.getByRole("form", { name: "Bring in an image" });
    await type(within(form).getByLabelText("Address"), "https://depot.example/Gate Terminal.qcow2");
    expect(within(form).getByLabelText("Name")).toHaveValue("gate-terminal");
    await user.click(within(form).getByRole("button", { name: "Bring in" }));
    await waitFor(() => {
      expect(asked.find((each) => each.key === "POST /api/images/")?.body).toEqual({
        name: "gate-terminal",
        url: "https://depot.example/Gate Terminal.qcow2",
        file_name: "",
        file_bytes: 0,
        checksum: "",
      });
    });
  });

  it("are only looked at by auditors", async () => {
    serve({ ...answers, "GET /api/session/": auditor });
    renderPage(<ImagesPage />);
    expect(await screen.findByText("harbour-linux")).toBeVisible();
    expect(screen.queryByRole("button", { name: "Bring in" })).toBeNull();
    expect(screen.queryByRole("combobox")).toBeNull();
    expect(screen.queryByRole("form", { name: "Allow a depot" })).toBeNull();
  });
});

describe("uploads", () => {
  it("go in parts, each from where the last one ended, also after a break", async () => {
    let arrived = 0;
    let broken = false;
    const now = () => image({ uploaded: true, state: "receiving", received_bytes: arrived });
    const asked = serve({
      ...answers,
      "POST /api/images/": now,
      "GET /api/images/1/": now,
      "PUT /api/images/1/part/": () => {
        if (arrived === 4 && !broken) {
          broken = true;
          return new Refusal(502, { code: "gone", title: "Gone.", detail: "", hint: "" });
        }
        arrived = Math.min(10, arrived + 4);
        return now();
      },
    });
    renderPage(<ImagesPage />);
    await user.click(await screen.findByRole("button", { name: "Bring in" }));
    const form = screen.getByRole("form", { name: "Bring in an image" });
    await user.upload(screen.getByLabelText("File"), new File(["0123456789"], "tide.raw"));
    expect(within(form).getByLabelText("Name")).toHaveValue("tide");
    await user.click(within(form).getByRole("button", { name: "Bring in" }));
    await waitFor(
      () => {
        expect(arrived).toBe(10);
      },
      { timeout: 4000 },
    );
    expect(asked.filter((each) => each.key === "PUT /api/images/1/part/")).toHaveLength(4);
  });
});
