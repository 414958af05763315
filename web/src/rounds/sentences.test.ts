import { describe, expect, it } from "vitest";
import { formatSize } from "../parts/format";
import { actionOf, pathTo, placeOf, sentenceOf } from "./sentences";
import type { Finding } from "./useRounds";

const size = (bytes: number) => formatSize(bytes, "TiB");

const finding = (part: Partial<Finding>): Finding => ({
  key: "k",
  kind: "over_fill",
  urgency: "now",
  subject_kind: "datastore",
  subject: "berth-a",
  subject_id: 7,
  stage: "balance",
  figures: {},
  reasons: [],
  draft: null,
  ...part,
});

describe("findings as sentences", () => {
  it("says how full, how fast it grows and when it ends", () => {
    const figures = {
      fill: 0.95,
      ceiling: 0.82,
      over_bytes: 1024 ** 4,
      growth_bytes_per_day: 12 * 1024 ** 3,
      runway_days: 30.6,
    };
    const { title, text } = sentenceOf(finding({ figures }), size);
    expect(title).toBe("Full in 31 days");
    expect(text).toBe("95 % full, growing 12.0 GiB a day; ceiling 82 %, 1.00 TiB over");
  });

  it("leaves out a growth that is not known", () => {
    const figures = {
      fill: 0.95,
      ceiling: 0.82,
      over_bytes: 0,
      growth_bytes_per_day: null,
      runway_days: null,
    };
    const { title, text } = sentenceOf(finding({ figures }), size);
    expect(title).toBe("Over its fill ceiling");
    expect(text).not.toContain("growing");
  });

  it("calls one port left what it is", () => {
    const host = finding({
      kind: "missing_paths",
      figures: { array: "granite", arrays: "granite", seen: 4, expected: 8, ports_left: 1 },
      reasons: ["why"],
    });
    expect(sentenceOf(host, size)).toEqual({
      title: "One path away from an outage",
      text: "sees 4 of 8 paths to granite; why",
    });
  });

  it("says what the lot would do and where the subject is", () => {
    const draft = { kind: "balance", form: {}, action: "Move disks" };
    const planned = finding({ draft, figures: { plan_moves: 2, plan_bytes: 1024 ** 4 } });
    expect(actionOf(planned, size)).toBe("Move 2 disks, 1.00 TiB");
    expect(pathTo(planned)).toBe("/trace/datastore/7");
  });
});

describe("findings on masking, volumes and clocks as sentences", () => {
  it.each([
    [
      "seen_by_some",
      { seen: 2, hosts: 3 },
      ["the array does not let this host in"],
      "2 of 3 hosts see it; the array does not let this host in",
    ],
    ["idle_volume", { size_bytes: 1024 ** 4, offered: 0 }, [], "1.00 TiB volume, offered to nobody"],
    [
      "idle_volume",
      { size_bytes: 1024 ** 4, offered: 3 },
      [],
      "1.00 TiB volume, offered to 3 initiators, mounted nowhere",
    ],
    [
      "idle_volume",
      { size_bytes: 1024 ** 4, offered: 1, kind: "file" },
      [],
      "1.00 TiB file system, client list of 1 entry",
    ],
    [
      "file_limits",
      { hosts: 2 },
      ["quay-02: retries 2 for 4", "quay-03: keep-alive 30 for 9 s"],
      "2 hosts are not as it recommends. quay-02: retries 2 for 4; quay-03: keep-alive 30 for 9 s",
    ],
    [
      "spelled_apart",
      { spellings: 2 },
      ["a on x", "b on y"],
      "hosts take it for 2 datastores; a on x; b on y",
    ],
    ["versions_apart", {}, ["NFSv3 on x"], "locks of one version do not bind the other; NFSv3 on x"],
    [
      "leftover_initiator",
      { array: "granite", volumes: 1 },
      ["berth-c"],
      "granite knows it, still let in to berth-c",
    ],
    [
      "numbered_apart",
      { cluster: "quayside", numbers: 2 },
      ["16 on quay-01, quay-02", "40 on quay-03"],
      "hosts of quayside have it under 2 numbers: 16 on quay-01, quay-02; 40 on quay-03. Tell it by its serial.",
    ],
    ["idle_volume", { size_bytes: 0, offered: 1, kind: "set" }, [], "volume set that no host mounts"],
    [
      "no_interface",
      { array: "chalk", subnet: "10.40.12.0/24" },
      [],
      "has none in 10.40.12.0/24, where the other hosts reach chalk",
    ],
    [
      "set_nearly_full",
      { held: 48, most: 60 },
      [],
      "holds 48 of the 60 volumes it allows; no machine starts there without one",
    ],
    ["leftover_initiator", { array: "granite", volumes: 0 }, [], "granite knows it, let in to nothing"],
    [
      "clock_off",
      { offset_seconds: 540 },
      [],
      "9 min ahead; logs and tickets of both sides would disagree. Set its time source.",
    ],
    [
      "clock_off",
      { offset_seconds: -90 },
      [],
      "2 min behind; logs and tickets of both sides would disagree. Set its time source.",
    ],
  ])("%s", (kind, figures, reasons, text) => {
    expect(sentenceOf(finding({ kind, figures, reasons }), size).text).toBe(text);
  });
});

it("leads from missing paths that no lot can bring back to their board", () => {
  const lost = finding({
    kind: "missing_paths",
    figures: { cluster: "gatehouse", array: "granite" },
    draft: null,
  });
  expect(actionOf(lost, size)).toBe("Look at its paths");
  expect(placeOf(lost)).toBe("/attach/paths?cluster=gatehouse&array=granite");
});

it("says of a missing FC port that no lot makes one", () => {
  const figures = { cluster: "gatehouse", array: "granite", subnet: "fabric-2", what: "port" };
  const lost = finding({ kind: "no_interface", figures });
  expect(sentenceOf(lost, size).title).toBe("Port missing");
  expect(actionOf(lost, size)).toBe("Fit a card or a cable");
});
