import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { type ComponentType, lazy, StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { createBrowserRouter, Navigate, RouterProvider } from "react-router";
import { ApiError } from "./app/api.ts";
import { StartPage } from "./app/StartPage.tsx";
import { CrashPage, NotFoundPage } from "./app/StatePages.tsx";
import { applyTheme, storedTheme } from "./app/theme.ts";
import { useServerEvents } from "./app/use-server-events.ts";
import { Workspace } from "./design/Workspace.tsx";
import "./index.css";

// each station is a piece of its own: the first page does not wait for charts and boards
const station = <K extends string>(name: K, load: () => Promise<Record<K, ComponentType>>) =>
  lazy(async () => ({ default: (await load())[name] }));
const SourcesStation = station("SourcesStation", () => import("./stations/sources/SourcesStation.tsx"));
const SimulateStation = station("SimulateStation", () => import("./stations/simulate/SimulateStation.tsx"));
const PinsStation = station("PinsStation", () => import("./stations/PinsStation.tsx"));
const ClocksStation = station("ClocksStation", () => import("./stations/ClocksStation.tsx"));
const CircuitStation = station("CircuitStation", () => import("./stations/circuit/CircuitStation.tsx"));
const FitStation = station("FitStation", () => import("./stations/fit/FitStation.tsx"));
const LayoutStation = station("LayoutStation", () => import("./stations/layout/LayoutStation.tsx"));
const TimingStation = station("TimingStation", () => import("./stations/TimingStation.tsx"));
const ImageStation = station("ImageStation", () => import("./stations/ImageStation.tsx"));
const BenchStation = station("BenchStation", () => import("./stations/bench/BenchStation.tsx"));

applyTheme(storedTheme());

const queries = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 5_000,
      retry: (count, error) => count < 2 && !(error instanceof ApiError && error.status < 500),
    },
  },
});

const router = createBrowserRouter([
  { path: "/", element: <StartPage />, errorElement: <CrashPage /> },
  {
    path: "/designs/:designId",
    element: <Workspace />,
    errorElement: <CrashPage />,
    children: [
      { index: true, element: <Navigate to="sources" replace /> },
      { path: "sources", Component: SourcesStation },
      { path: "simulate", Component: SimulateStation },
      { path: "pins", Component: PinsStation },
      { path: "clocks", Component: ClocksStation },
      { path: "circuit", Component: CircuitStation },
      { path: "fit", Component: FitStation },
      { path: "layout", Component: LayoutStation },
      { path: "timing", Component: TimingStation },
      { path: "image", Component: ImageStation },
      { path: "bench", Component: BenchStation },
    ],
  },
  { path: "*", element: <NotFoundPage /> },
]);

function Events(): null {
  useServerEvents();
  return null;
}

createRoot(document.getElementById("root")!).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <Events />
      <RouterProvider router={router} />
    </QueryClientProvider>
  </StrictMode>,
);
