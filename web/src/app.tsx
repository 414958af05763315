import CssBaseline from "@mui/material/CssBaseline";
import { ThemeProvider } from "@mui/material/styles";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { SnackbarProvider } from "notistack";
import { useMemo, useState } from "react";
import { createBrowserRouter, Navigate, RouterProvider } from "react-router";
import { ProblemError } from "./api/problem";
import { UnitProvider } from "./parts/unit";
import { NoSuchPage } from "./shell/NoSuchPage";
import { PAGES } from "./shell/pages";
import { SessionGate } from "./shell/SessionGate";
import { Shell } from "./shell/Shell";
import { makeTheme } from "./theme/theme";
import { ModeProvider, useMode } from "./theme/mode";

const RETRIES = 2;

function newQueryClient(): QueryClient {
  return new QueryClient({
    defaultOptions: {
      queries: {
        staleTime: 2000,
        // What the server has answered for good is not asked again; only silence is.
        retry: (count, error) =>
          !(error instanceof ProblemError && error.problem.status > 0) && count < RETRIES,
      },
    },
  });
}

const newRouter = () =>
  createBrowserRouter([
    {
      element: <Shell />,
      // Until the first page's script has come.
      HydrateFallback: () => null,
      children: [
        ...PAGES.map(({ path, load }) => ({ path, lazy: { Component: load } })),
        // Who came by a one-time link is in by now.
        { path: "/welcome", element: <Navigate to="/" replace /> },
        { path: "*", element: <NoSuchPage /> },
      ],
    },
  ]);

export function App() {
  return (
    <ModeProvider>
      <Themed />
    </ModeProvider>
  );
}

function Themed() {
  const [queries] = useState(newQueryClient);
  const [router] = useState(newRouter);
  const { mode } = useMode();
  const theme = useMemo(() => makeTheme(mode), [mode]);
  return (
    <ThemeProvider theme={theme}>
      <CssBaseline />
      <QueryClientProvider client={queries}>
        <SnackbarProvider maxSnack={3} autoHideDuration={5000}>
          <UnitProvider>
            <SessionGate>
              <RouterProvider router={router} />
            </SessionGate>
          </UnitProvider>
        </SnackbarProvider>
      </QueryClientProvider>
    </ThemeProvider>
  );
}
