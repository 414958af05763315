import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { Schemas } from "../../api/problem";
import { DraftSaver, TYPING_MS } from "./DraftSaver";

interface Form {
  name: string;
}
const answer = (version: string, name: string) => ({
  lot: { version } as Schemas["LotDetail"],
  form: { name },
});

beforeEach(() => {
  vi.useFakeTimers();
});
afterEach(() => {
  vi.useRealTimers();
});

describe("what is typed", () => {
  it("is sent once, a moment after the last key", async () => {
    const sent: string[] = [];
    const saver = new DraftSaver<Form, ReturnType<typeof answer>>(answer("v1", ""), {
      store: (form) => {
        sent.push(form.name);
        return Promise.resolve(answer("v2", form.name));
      },
      load: () => Promise.resolve(answer("v1", "")),
      answered: () => undefined,
    });
    for (const key of "slate") {
      saver.edit((form) => ({ name: form.name + key }));
      await vi.advanceTimersByTimeAsync(TYPING_MS - 1);
    }
    expect(sent).toEqual([]);
    expect(saver.current().state).toBe("unsaved");
    await vi.advanceTimersByTimeAsync(1);
    expect(sent).toEqual(["slate"]);
    expect(saver.current()).toEqual({ form: { name: "slate" }, state: "saved", error: null });
  });
});
