import { ThemeProvider } from "@mui/material/styles";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { render } from "@testing-library/react";
import { SnackbarProvider } from "notistack";
import type { ReactElement } from "react";
import { MemoryRouter, useLocation } from "react-router";
import { vi } from "vitest";
import { UnitProvider } from "../parts/unit";
import { TrayProvider } from "../shell/trayState";
import { makeTheme } from "../theme/theme";

interface Asked {
  key: string;
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

/**
 * Answers at the network's edge, by method and path; what is not listed is a 404. An answer may be a function of the
 * request's body. Returns the requests made, as they come.
 */
export function serve(answers: Answers): Asked[] {
  const asked: Asked[] = [];
  vi.stubGlobal("fetch", async (request: Request) => {
    const key = `${request.method} ${new URL(request.url).pathname}`;
    const text = await request.text();
    const sent: unknown = text ? JSON.parse(text) : null;
    asked.push({ key, ifMatch: request.headers.get("If-Match"), body: sent });
    const listed = answers[key];
    const found: unknown =
      typeof listed === "function" ? (listed as (body: unknown) => unknown)(sent) : listed;
    const refusal =
      found instanceof Refusal ? found : new Refusal(404, { code: "not_found", title: "Not there." });
    const well = found !== undefined && !(found instanceof Refusal);
    return new Response(JSON.stringify(well ? found : refusal.body), {
      status: well ? 200 : refusal.status,
      headers: { "Content-Type": "application/json" },
    });
  });
  return asked;
}

/** Where the router stands, for tests to read. */
function Whereabouts() {
  const { pathname, search } = useLocation();
  return <code aria-label="address">{pathname + search}</code>;
}

/** Renders a page inside what the application gives it. */
export function renderPage(page: ReactElement, at = "/") {
  const queries = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  return render(
    <ThemeProvider theme={makeTheme("light")}>
      <QueryClientProvider client={queries}>
        <SnackbarProvider>
          <UnitProvider>
            <MemoryRouter initialEntries={[at]}>
              <TrayProvider>
                {page}
                <Whereabouts />
              </TrayProvider>
            </MemoryRouter>
          </UnitProvider>
        </SnackbarProvider>
      </QueryClientProvider>
    </ThemeProvider>,
  );
}
