import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { createBrowserRouter, Navigate, RouterProvider } from "react-router";
import { ApiError } from "./app/api.ts";
import { StartPage } from "./app/StartPage.tsx";
import { CrashPage, NotFoundPage } from "./app/StatePages.tsx";
import { applyTheme, storedTheme } from "./app/theme.ts";
import { Workspace } from "./design/Workspace.tsx";
import { BenchStation } from "./stations/bench/BenchStation.tsx";
import { ClocksStation } from "./stations/ClocksStation.tsx";
import { FitStation } from "./stations/FitStation.tsx";
import { ImageStation } from "./stations/ImageStation.tsx";
import { LayoutStation } from "./stations/layout/LayoutStation.tsx";
import { PinsStation } from "./stations/PinsStation.tsx";
import { SourcesStation } from "./stations/sources/SourcesStation.tsx";
import { TimingStation } from "./stations/TimingStation.tsx";
import "./index.css";

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
      { path: "sources", element: <SourcesStation /> },
      { path: "pins", element: <PinsStation /> },
      { path: "clocks", element: <ClocksStation /> },
      { path: "fit", element: <FitStation /> },
      { path: "layout", element: <LayoutStation /> },
      { path: "timing", element: <TimingStation /> },
      { path: "image", element: <ImageStation /> },
      { path: "bench", element: <BenchStation /> },
    ],
  },
  { path: "*", element: <NotFoundPage /> },
]);

createRoot(document.getElementById("root")!).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <RouterProvider router={router} />
    </QueryClientProvider>
  </StrictMode>,
);
