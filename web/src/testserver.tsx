import { ThemeProvider } from "@mui/material/styles";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { render } from "@testing-library/react";
import type { ReactElement } from "react";
import { MemoryRouter } from "react-router";
import { vi } from "vitest";
import { UnitProvider } from "./parts/unit";
import { TrayProvider } from "./shell/trayState";
import { makeTheme } from "./theme/theme";

type Answers = Record<string, unknown>;

/** Answers at the network's edge, by method and path; what is not listed is a 404. Returns the requests made. */
export function serve(answers: Answers): string[] {
  const asked: string[] = [];
  vi.stubGlobal("fetch", (request: Request) => {
    const key = `${request.method} ${new URL(request.url).pathname}`;
    asked.push(key);
    const body = answers[key];
    const headers = { "Content-Type": "application/json" };
    const status = body === undefined ? 404 : 200;
    return Promise.resolve(
      new Response(JSON.stringify(body ?? { code: "not_found", title: "Not there." }), { status, headers }),
    );
  });
  return asked;
}

/** Renders a page inside what the application gives it. */
export function renderPage(page: ReactElement, at = "/") {
  const queries = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  return render(
    <ThemeProvider theme={makeTheme("light")}>
      <QueryClientProvider client={queries}>
        <UnitProvider>
          <MemoryRouter initialEntries={[at]}>
            <TrayProvider>{page}</TrayProvider>
          </MemoryRouter>
        </UnitProvider>
      </QueryClientProvider>
    </ThemeProvider>,
  );
}
