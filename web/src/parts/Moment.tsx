import { formatMoment, readersZone } from "./format";
import { useNow } from "./useNow";

/** When something was: relative within a day, else dated; the moment itself when pointed at. */
export function Moment({ at, never = "–" }: { at: string | null; never?: string }) {
  const now = useNow(10_000);
  return at ? (
    <time dateTime={at} title={`${new Date(at).toLocaleString("en-GB")} ${readersZone()}`}>
      {formatMoment(at, now)}
    </time>
  ) : (
    <span>{never}</span>
  );
}
