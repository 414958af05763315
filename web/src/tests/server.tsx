import { ThemeProvider } from "@mui/material/styles";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { render } from "@testing-library/react";
import { SnackbarProvider } from "notistack";
import { http, HttpResponse, type JsonBodyType } from "msw";
import { setupServer } from "msw/node";
import type { paths } from "../api/schema";
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

type Method = "get" | "post" | "put" | "patch" | "delete";
type Path = keyof paths;
type Call = { [P in Path]: { [M in Method]: `${M} ${P}` }[Method] }[Path];

/** What stands for a part of a path. A name is one of those in tests: any text would fit longer paths as well. */
interface Parts {
  id: number;
  name: "quayside";
  kind: string;
}
/** A path of the schema as it is asked for. */
type Asking<P extends string> = P extends `${infer Head}{${infer Part}}${infer Tail}`
  ? `${Head}${Part extends keyof Parts ? Parts[Part] : never}${Asking<Tail>}`
  : P;

/** What an operation of the schema answers when it succeeds; never where there is no such operation. */
type Success<Operation> = Operation extends { responses: infer Told }
  ? {
      [Status in keyof Told & (200 | 201 | 202 | 204)]: Told[Status] extends {
        content: { "application/json": infer Body };
      }
        ? Body
        : null;
    }[keyof Told & (200 | 201 | 202 | 204)]
  : never;

/** What an operation of the schema is sent. */
type Sent<Operation> = Operation extends { requestBody?: { content: { "application/json": infer Body } } }
  ? Body
  : null;

type Soon<T> = T | Promise<T>;
type Told<Body> = Soon<Body | Refusal | typeof LOST>;
type Listed<Operation> =
  Told<Success<Operation>> | ((body: Sent<Operation>, query: URLSearchParams) => Told<Success<Operation>>);

/**
 * Answers by method and path, as the schema has them. One may be a function of the request's body and query, and a
 * promise, so that answers come late or overtake one another.
 */
export type Answers = {
  [
    C in Call as C extends `${infer M extends Method} ${infer P}` ? `${Uppercase<M>} ${Asking<P>}` : never
  ]?: C extends `${infer M extends Method} ${infer P extends Path}` ? Listed<paths[P][M]> : never;
};

/** An answer that is no success: its status and the problem document. */
export class Refusal {
  constructor(
    readonly status: number,
    readonly body: unknown,
  ) {}
}

export const NOT_THERE = new Refusal(404, { code: "not_found", title: "Not there.", detail: "", hint: "" });

/** What makes a request's answer be lost on its way. */
export const LOST = Symbol("lost");

const notListed: string[] = [];
/** The requests since this was asked last that no test had listed. */
export const takeNotListed = () => notListed.splice(0);

/** The server at the network's edge; each test says what it answers. */
export const edge = setupServer();

const answered = (found: unknown) => {
  if (found === LOST) return HttpResponse.error();
  if (found instanceof Refusal)
    return HttpResponse.json(found.body as JsonBodyType, { status: found.status });
  if (found === null) return new HttpResponse(null, { status: 204 });
  return HttpResponse.json(found as JsonBodyType);
};

/**
 * Answers requests as listed. One that is not listed fails the test that makes it. Returns the requests made, as they
 * come.
 */
export function serve(answers: Answers): Asked[] {
  const asked: Asked[] = [];
  edge.use(
    http.all("*", async ({ request }) => {
      const url = new URL(request.url);
      const key = `${request.method} ${url.pathname}`;
      const text = await request.text();
      const octets = request.headers.get("Content-Type") === "application/octet-stream";
      const body: unknown = text && !octets ? JSON.parse(text) : text || null;
      asked.push({ key, query: url.search, ifMatch: request.headers.get("If-Match"), body });
      if (!(key in answers)) {
        notListed.push(key);
        return HttpResponse.error();
      }
      const listed = (answers as Record<string, unknown>)[key];
      const found: unknown =
        typeof listed === "function"
          ? await (listed as (body: unknown, query: URLSearchParams) => unknown)(body, url.searchParams)
          : listed;
      return answered(found);
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
