import "@testing-library/jest-dom/vitest";
import { cleanup, configure } from "@testing-library/react";
import { afterEach, vi } from "vitest";

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
Element.prototype.scrollIntoView = vi.fn();

afterEach(() => {
  cleanup();
  localStorage.clear();
});
