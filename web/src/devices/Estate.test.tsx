import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { beforeEach, describe, expect, it, vi } from "vitest";
import type { Schemas } from "../api/problem";
import { job } from "../tests/data";
import { renderPage, Refusal, serve } from "../tests/server";
import { user } from "../tests/user";
import { Estate } from "./Estate";

const answer = (part: Partial<Schemas["PackageAnswer"]> = {}): Schemas["PackageAnswer"] => ({
  imported: false,
  tables: [
    { table: "hosts", rows: 3 },
    { table: "host_ports", rows: 9 },
  ],
  faults: [],
  fault_count: 0,
  grants_left_out: 0,
  ...part,
});
const fault: Schemas["Fault"] = {
  file: "disks.csv",
  row: 3,
  column: "size_bytes",
  value: "ten",
  expected: "a whole number of at least 0",
};
const choose = (label: string, name: string) => {
  // The simulated browser's files cannot be read as text.
  const file = Object.assign(new File(["x"], name), { text: () => Promise.resolve("x") });
  fireEvent.change(screen.getByLabelText(label), { target: { files: [file] } });
};

/** Forms go over the wire as they are; here each is kept as the fields it had. */
function serveForms(...answers: (Schemas["PackageAnswer"] | Refusal)[]) {
  const sent: Record<string, string>[] = [];
  vi.stubGlobal("fetch", async (request: Request) => {
    const text = await request.text();
    const dry = /name="dry_run"\r\n\r\n(\w+)/.exec(text)?.[1] ?? "";
    sent.push({ key: `${request.method} ${new URL(request.url).pathname}`, dry });
    const found = answers[Math.min(sent.length, answers.length) - 1];
    const refused = found instanceof Refusal;
    return new Response(
      JSON.stringify(refused ? found.body : job({ kind: "import_package", result: found ?? null })),
      {
        status: refused ? found.status : 200,
        headers: { "Content-Type": "application/json" },
      },
    );
  });
  return sent;
}

beforeEach(() => {
  vi.unstubAllGlobals();
});

describe("an estate as files", () => {
  it("is taken out by anyone, brought in only by who may change", async () => {
    const fetched = vi.fn();
    vi.stubGlobal("location", { origin: window.location.origin, assign: fetched });
    const file = "/api/jobs/7/file/";
    serve({
      "POST /api/exchange/package/export/": job({
        kind: "export_package",
        result: { file, size_bytes: 6 * 1024 ** 2 },
      }),
    });
    renderPage(<Estate mayChange={false} />);
    await user.click(screen.getByRole("button", { name: "Take the estate out" }));
    expect(await screen.findByRole("link", { name: "Fetch it again" })).toHaveAttribute("href", file);
    expect(fetched).toHaveBeenCalledWith(file);
    expect(screen.queryByRole("button", { name: "Choose a package" })).toBeNull();
  });

  it("is checked as soon as it is chosen, and imported with a second press", async () => {
    const sent = serveForms(answer(), answer({ imported: true }));
    renderPage(<Estate mayChange />);
    choose("Package to import", "estate.zip");
    expect(await screen.findByText("Nothing is wrong. It holds 3 hosts, 9 host ports.")).toBeVisible();
    await user.click(screen.getByRole("button", { name: "Import" }));
    expect(await screen.findByText("Imported: 3 hosts, 9 host ports.")).toBeVisible();
    expect(sent.map((each) => each.dry)).toEqual(["true", "false"]);
    expect(screen.queryByRole("button", { name: "Import" })).toBeNull();
  });

  it("shows each wrong value with its place, and offers no import", async () => {
    serveForms(answer({ faults: [fault, { ...fault, row: null, file: "hosts.csv" }], fault_count: 2 }));
    renderPage(<Estate mayChange />);
    choose("Package to import", "estate.zip");
    const table = await screen.findByRole("table", { name: "What is wrong" });
    expect(
      within(table).getByRole("row", { name: /disks\.csv 3 size_bytes ten a whole number/ }),
    ).toBeVisible();
    expect(within(table).getByRole("row", { name: /hosts\.csv all/ })).toBeVisible();
    expect(screen.getByText("2 values are wrong; nothing was imported.")).toBeVisible();
    expect(screen.queryByRole("button", { name: "Import" })).toBeNull();
  });

  it("lists those that were answered, and says how many there are", async () => {
    serveForms(answer({ faults: Array<Schemas["Fault"]>(90).fill(fault), fault_count: 700 }));
    renderPage(<Estate mayChange />);
    choose("Package to import", "estate.zip");
    expect(await screen.findByText("The first 90 of 700 are listed.")).toBeVisible();
    expect(
      within(screen.getByRole("table", { name: "What is wrong" })).getAllByRole("row")[1],
    ).toHaveAttribute("aria-rowindex", "2");
  });

  it("says why a file is no package", async () => {
    serveForms(new Refusal(422, { code: "no_package", title: "This file is no zip that can be read." }));
    renderPage(<Estate mayChange />);
    choose("Package to import", "notes.txt");
    expect(await screen.findByText(/This file is no zip/)).toBeVisible();
  });
});

describe("metrics from elsewhere", () => {
  it("are read by the ending of their file", async () => {
    const asked = serve({
      "POST /api/exchange/metrics/": job({
        kind: "import_metrics",
        result: { samples: 12, faults: [], fault_count: 0 },
      }),
    });
    renderPage(<Estate mayChange />);
    choose("Metrics to take in", "week.csv");
    expect(await screen.findByText("12 samples taken in.")).toBeVisible();
    choose("Metrics to take in", "week.prom");
    await waitFor(() => {
      expect(asked.map((each) => each.body)).toEqual([
        { text: "x", written_as: "csv" },
        { text: "x", written_as: "openmetrics" },
      ]);
    });
  });

  it("are not taken in when any is wrong", async () => {
    serve({
      "POST /api/exchange/metrics/": job({
        kind: "import_metrics",
        result: { samples: 0, faults: [fault], fault_count: 1 },
      }),
    });
    renderPage(<Estate mayChange />);
    choose("Metrics to take in", "week.csv");
    expect(await screen.findByText("1 value is wrong; no sample was taken in.")).toBeVisible();
  });
});
