import { ThemeProvider } from "@mui/material/styles";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { render } from "@testing-library/react";
import { SnackbarProvider } from "notistack";
import { http, HttpResponse, type JsonBodyType } from "msw";
import { setupServer } from "msw/node";
import type { ReactElement } from "react";
import { createMemoryRouter, RouterProvider, useLocation } from "react-router";
import { UnitProvider } from "../parts/unit";
import { TrayProvider } from "../shell/trayState";
import { ModeProvider } from "../theme/mode";
import { makeTheme } from "../theme/theme";

export interface Asked {
  key: string;
  query: string;
  ifMatch: string | null;
  body: unknown;
}
type Answers = Record<string, unknown>;

/** An answer that is no success: its status and the problem document. */
export class Refusal {
  constructor(
    readonly status: number,
    readonly body: unknown,
  ) {}
}

/** What makes a request's answer be lost on its way. */
export const LOST = Symbol("lost");

/** The server at the network's edge; each test says what it answers. */
export const edge = setupServer();

const answered = (found: unknown) => {
  if (found === LOST) return HttpResponse.error();
  if (found instanceof Refusal)
    return HttpResponse.json(found.body as JsonBodyType, { status: found.status });
  return HttpResponse.json(found as JsonBodyType);
};

/**
 * Answers by method and path; what is not listed is a 404, as for things that are not there. An answer may be a function
 * of the request's body and query, and a promise, so that answers come late or overtake one another. Returns the requests
 * made, as they come.
 */
export function serve(answers: Answers): Asked[] {
  const asked: Asked[] = [];
  edge.use(
    http.all("*", async ({ request }) => {
      const url = new URL(request.url);
      const key = `${request.method} ${url.pathname}`;
      const text = await request.text();
      const body: unknown = text ? JSON.parse(text) : null;
      asked.push({ key, query: url.search, ifMatch: request.headers.get("If-Match"), body });
      const listed = answers[key];
      const found: unknown =
        typeof listed === "function"
          ? await (listed as (body: unknown, query: URLSearchParams) => unknown)(body, url.searchParams)
          : listed;
      return answered(
        found ?? new Refusal(404, { code: "not_found", title: "Not there.", detail: "", hint: "" }),
      );
    }),
  );
  return asked;
}

/** A promise that a test settles when it wants the answer to come. */
export function later<T>(): { promise: Promise<T>; come: (value: T) => void } {
  let come: (value: T) => void = () => undefined;
  const promise = new Promise<T>((resolve) => {
    come = resolve;
  });
  return { promise, come };
}

/** Where the router stands, for tests to read. */
function Whereabouts() {
  const { pathname, search } = useLocation();
  return <code aria-label="address">{pathname + search}</code>;
}

/** Renders a page inside what the application gives it. */
export function renderPage(page: ReactElement, at = "/") {
  const queries = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  const element = (
    <TrayProvider>
      {page}
      <Whereabouts />
    </TrayProvider>
  );
  const router = createMemoryRouter([{ path: "*", element }], { initialEntries: [at] });
  const shown = render(
    <ModeProvider>
      <ThemeProvider theme={makeTheme("light")}>
        <QueryClientProvider client={queries}>
          <SnackbarProvider>
            <UnitProvider>
              <RouterProvider router={router} />
            </UnitProvider>
          </SnackbarProvider>
        </QueryClientProvider>
      </ThemeProvider>
    </ModeProvider>,
  );
  return { ...shown, queries };
}
