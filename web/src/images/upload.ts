import { api, unwrap } from "../api/client";
import type { Image } from "./queries";

const TRIES = 5;
const WAIT_MS = 1000;
const pause = (ms: number) => new Promise((done) => window.setTimeout(done, ms));

const sent = (id: number, at: number, part: Blob) =>
  unwrap(
    api.PUT("/api/images/{id}/part/", {
      params: { path: { id }, query: { at } },
      // The schema says that it is octets, which it knows as text only.
      body: part as unknown as string,
      bodySerializer: (body) => body as unknown as BodyInit,
      headers: { "Content-Type": "application/octet-stream" },
    }),
  );

/** Sends a file in parts, each from where the last one ended; after a break it goes on from what arrived. */
export async function upload(
  image: Image,
  file: Blob,
  partBytes: number,
  told: (received: number) => void,
): Promise<void> {
  let at = image.received_bytes;
  for (let failed = 0; at < file.size;) {
    try {
      at = (await sent(image.id, at, file.slice(at, at + partBytes))).received_bytes;
      failed = 0;
    } catch (error) {
      failed += 1;
      if (failed >= TRIES) throw error;
      await pause(WAIT_MS);
      const params = { path: { id: image.id } };
      at = (await unwrap(api.GET("/api/images/{id}/", { params }))).received_bytes;
    }
    told(at);
  }
}
