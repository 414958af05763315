import CssBaseline from "@mui/material/CssBaseline";
import { ThemeProvider } from "@mui/material/styles";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { SnackbarProvider } from "notistack";
import { useMemo, useState } from "react";
import { BrowserRouter, Route, Routes } from "react-router";
import { ProblemError } from "./api/problem";
import { AttachPage } from "./attach/AttachPage";
import { DetachPage } from "./attach/DetachPage";
import { FileLimitsPage } from "./attach/FileLimitsPage";
import { FilePage } from "./attach/FilePage";
import { InterfacesPage } from "./network/InterfacesPage";
import { SetPage } from "./attach/SetPage";
import { UsePage } from "./attach/UsePage";
import { LossPage } from "./network/LossPage";
import { PathsPage } from "./network/PathsPage";
import { DeviceSettingsPage } from "./network/DeviceSettingsPage";
import { AuditPage } from "./audit/AuditPage";
import { BalancePage } from "./balance/BalancePage";
import { DevicesPage } from "./devices/DevicesPage";
import { LotPage } from "./lots/LotPage";
import { LotsPage } from "./lots/LotsPage";
import { RoundsPage } from "./rounds/RoundsPage";
import { NoSuchPage } from "./shell/NoSuchPage";
import { SessionGate } from "./shell/SessionGate";
import { Shell } from "./shell/Shell";
import { UnitProvider } from "./parts/unit";
import { useMode } from "./theme/useMode";
import { makeTheme } from "./theme/theme";
import { TracePage } from "./trace/TracePage";

const RETRIES = 2;

function newQueryClient(): QueryClient {
  return new QueryClient({
    defaultOptions: {
      queries: {
        staleTime: 2000,
        // What the server has answered for good is not asked again; only silence is.
        retry: (count, error) => !(error instanceof ProblemError) && count < RETRIES,
      },
    },
  });
}

export function App() {
  const [queries] = useState(newQueryClient);
  const { mode, setMode } = useMode();
  const theme = useMemo(() => makeTheme(mode), [mode]);
  return (
    <ThemeProvider theme={theme}>
      <CssBaseline />
      <QueryClientProvider client={queries}>
        <SnackbarProvider maxSnack={3} autoHideDuration={5000}>
          <UnitProvider>
            <BrowserRouter>
              <SessionGate>
                <Routes>
                  <Route element={<Shell mode={mode} setMode={setMode} />}>
                    <Route index element={<RoundsPage />} />
                    <Route path="attach" element={<AttachPage />} />
                    <Route path="attach/detach" element={<DetachPage />} />
                    <Route path="attach/file" element={<FilePage />} />
                    <Route path="attach/interfaces" element={<InterfacesPage />} />
                    <Route path="attach/use" element={<UsePage />} />
                    <Route path="attach/set" element={<SetPage />} />
                    <Route path="attach/file-limits" element={<FileLimitsPage />} />
                    <Route path="attach/loss" element={<LossPage />} />
                    <Route path="attach/paths" element={<PathsPage />} />
                    <Route path="attach/device-settings" element={<DeviceSettingsPage />} />
                    <Route path="balance" element={<BalancePage />} />
                    <Route path="balance/:group" element={<BalancePage />} />
                    <Route path="lots" element={<LotsPage />} />
                    <Route path="lots/:id" element={<LotPage />} />
                    <Route path="trace/:kind/:id" element={<TracePage />} />
                    <Route path="devices" element={<DevicesPage />} />
                    <Route path="audit" element={<AuditPage />} />
                    <Route path="*" element={<NoSuchPage />} />
                  </Route>
                </Routes>
              </SessionGate>
            </BrowserRouter>
          </UnitProvider>
        </SnackbarProvider>
      </QueryClientProvider>
    </ThemeProvider>
  );
}
