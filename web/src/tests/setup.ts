import "@testing-library/jest-dom/vitest";
import { cleanup, configure } from "@testing-library/react";
import { afterAll, afterEach, beforeAll, expect, vi } from "vitest";
import { edge, takeNotListed } from "./server";

// A busy machine takes its time; a test that fails waits this long once.
configure({ asyncUtilTimeout: 8000 });

/** jsdom lays nothing out: what watches sizes is told of none, and scrolling does nothing. */
class NothingToObserve {
  observe = vi.fn();
  unobserve = vi.fn();
  disconnect = vi.fn();
  takeRecords = () => [];
}
Object.assign(globalThis, { ResizeObserver: NothingToObserve, IntersectionObserver: NothingToObserve });
/** It knows no pointers either; a press of one is a press of the mouse. */
class PointerOfMouse extends MouseEvent {}
Object.assign(globalThis, { PointerEvent: PointerOfMouse });
Element.prototype.scrollIntoView = vi.fn();
Element.prototype.scrollTo = vi.fn();
/** Room for some twenty rows, wherever rows are drawn as they come into sight. */
Object.defineProperties(Element.prototype, {
  clientHeight: { configurable: true, value: 800 },
  clientWidth: { configurable: true, value: 1200 },
});

beforeAll(() => {
  edge.listen({ onUnhandledRequest: "error" });
});

afterAll(() => {
  edge.close();
});

afterEach(() => {
  cleanup();
  edge.resetHandlers();
  localStorage.clear();
  // Last, so that a test which fails by it leaves nothing to the next one.
  expect(takeNotListed(), "requests that the test has no answer for").toEqual([]);
});
