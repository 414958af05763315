import { formatHour, formatMs, formatSeconds, formatShare } from "../parts/format";
import type { Finding } from "./useRounds";

interface Sentence {
  title: string;
  text: string;
}

type Size = (bytes: number) => string;

const figure = (finding: Finding, name: string) => finding.figures?.[name] ?? null;
const number = (finding: Finding, name: string): number => Number(figure(finding, name) ?? 0);

function overFill(finding: Finding, size: Size): Sentence {
  const days = figure(finding, "runway_days");
  const growth = figure(finding, "growth_bytes_per_day");
  const grows = growth !== null && Number(growth) > 0 ? `, growing ${size(Number(growth))} a day` : "";
  return {
    title: days === null ? "Over its fill ceiling" : `Full in ${Number(days).toFixed(0)} days`,
    text: `${formatShare(number(finding, "fill"))} full${grows}; ceiling ${formatShare(number(finding, "ceiling"))}, ${size(number(finding, "over_bytes"))} over`,
  };
}

function slowPool(finding: Finding): Sentence {
  const when = figure(finding, "peak_day") === "weekend" ? "at weekends" : "on weekdays";
  const count = number(finding, "heavy_disks");
  return {
    title: "Slow at peak",
    text: `${formatMs(number(finding, "peak_ms"))} at ${formatHour(number(finding, "peak_hour"))} ${when}, ceiling ${formatMs(number(finding, "ceiling_ms"))}; ${String(count)} disks make ${formatShare(number(finding, "heavy_share"))} of it`,
  };
}

function missingPaths(finding: Finding): Sentence {
  const alone = number(finding, "ports_left") <= 1;
  return {
    title: alone ? "One path away from an outage" : "Paths missing",
    text: `sees ${String(number(finding, "seen"))} of ${String(number(finding, "expected"))} paths to ${String(figure(finding, "arrays"))}; ${finding.reasons.join("; ")}`,
  };
}

function seenBySome(finding: Finding): Sentence {
  return {
    title: "Seen by some hosts only",
    text: `${String(number(finding, "seen"))} of ${String(number(finding, "hosts"))} hosts see it; ${finding.reasons.join("; ")}`,
  };
}

function numberedApart(finding: Finding): Sentence {
  return {
    title: "LUN numbers differ",
    text: `hosts of ${String(figure(finding, "cluster"))} have it under ${String(number(finding, "numbers"))} numbers: ${finding.reasons.join("; ")}. Tell it by its serial.`,
  };
}

function idleVolume(finding: Finding, size: Size): Sentence {
  const offered = number(finding, "offered");
  if (figure(finding, "kind") === "file") {
    const entries = `client list of ${String(offered)} ${offered === 1 ? "entry" : "entries"}`;
    return {
      title: "Export that no host mounts",
      text: `${size(number(finding, "size_bytes"))} file system, ${offered ? entries : "exported to nobody"}`,
    };
  }
  if (figure(finding, "kind") === "set")
    return { title: "No host uses it", text: "volume set that no host mounts" };
  const how = offered ? `offered to ${String(offered)} initiators, mounted nowhere` : "offered to nobody";
  return { title: "No host uses it", text: `${size(number(finding, "size_bytes"))} volume, ${how}` };
}

function leftoverInitiator(finding: Finding): Sentence {
  const volumes = number(finding, "volumes");
  const into = volumes ? `still let in to ${finding.reasons.join(", ")}` : "let in to nothing";
  return {
    title: "Initiator of no linked host",
    text: `${String(figure(finding, "array"))} knows it, ${into}`,
  };
}

function clockOff(finding: Finding): Sentence {
  const offset = number(finding, "offset_seconds");
  const way = offset > 0 ? "ahead" : "behind";
  return {
    title: "Clock is off",
    text: `${formatSeconds(Math.abs(offset))} ${way}; logs and tickets of both sides would disagree. Set its time source.`,
  };
}

function fileLimits(finding: Finding): Sentence {
  return {
    title: "NFS timeouts differ",
    text: `${String(number(finding, "hosts"))} hosts are not as it recommends. ${finding.reasons.join("; ")}`,
  };
}

function spelledApart(finding: Finding): Sentence {
  return {
    title: "Mounted under two spellings",
    text: `hosts take it for ${String(number(finding, "spellings"))} datastores; ${finding.reasons.join("; ")}`,
  };
}

function versionsApart(finding: Finding): Sentence {
  return {
    title: "Mounted with two NFS versions",
    text: `locks of one version do not bind the other; ${finding.reasons.join("; ")}`,
  };
}

/** A finding as a title and one line with its figures. */
export function sentenceOf(finding: Finding, size: Size): Sentence {
  switch (finding.kind) {
    case "over_fill":
      return overFill(finding, size);
    case "slow_pool":
      return slowPool(finding);
    case "no_interface":
      return {
        title: figure(finding, "what") === "port" ? "Port missing" : "Interface missing",
        text: `has none in ${String(figure(finding, "subnet"))}, where the other hosts reach ${String(figure(finding, "array"))}`,
      };
    case "set_nearly_full":
      return {
        title: "Volume set nearly full",
        text: `holds ${String(number(finding, "held"))} of the ${String(number(finding, "most"))} volumes it allows; no machine starts there without one`,
      };
    case "missing_paths":
      return missingPaths(finding);
    case "seen_by_some":
      return seenBySome(finding);
    case "numbered_apart":
      return numberedApart(finding);
    case "idle_volume":
      return idleVolume(finding, size);
    case "leftover_initiator":
      return leftoverInitiator(finding);
    case "file_limits":
      return fileLimits(finding);
    case "spelled_apart":
      return spelledApart(finding);
    case "versions_apart":
      return versionsApart(finding);
    case "clock_off":
      return clockOff(finding);
    case "device_trouble":
      return { title: "Device cannot be read", text: finding.reasons.join(" ") };
    default:
      return { title: finding.kind.replaceAll("_", " "), text: finding.reasons.join("; ") };
  }
}

/** What the drafted lot would do. */
export function actionOf(finding: Finding, size: Size): string {
  if (!finding.draft && finding.kind === "no_interface") return "Fit a card or a cable";
  if (!finding.draft && finding.kind === "missing_paths") return "Look at its paths";
  if (!finding.draft) return finding.stage === "devices" ? "See the device link" : "Look at the trace";
  const moves = number(finding, "plan_moves");
  return moves ? `Move ${String(moves)} disks, ${size(number(finding, "plan_bytes"))}` : finding.draft.action;
}

/** The way to what a finding without a lot is about: the path board for paths, else its subject. */
export function placeOf(finding: Finding): string | null {
  if (finding.kind !== "missing_paths" && finding.kind !== "no_interface") return pathTo(finding);
  const query = {
    cluster: String(figure(finding, "cluster")),
    array: String(figure(finding, "array")),
  };
  return `/attach/paths?${new URLSearchParams(query).toString()}`;
}

/** The way to a finding's subject; null when it has no page. */
export function pathTo(finding: Finding): string | null {
  if (finding.subject_kind === "device") return "/devices";
  return finding.subject_id === null ? null : `/trace/${finding.subject_kind}/${String(finding.subject_id)}`;
}
