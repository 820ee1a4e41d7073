import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { createBrowserRouter, Navigate, RouterProvider, useSearchParams } from "react-router";
import { ApiError } from "./app/api.ts";
import { CrashPage, NotFoundPage } from "./app/StatePages.tsx";
import { applyTheme, storedTheme } from "./app/theme.ts";
import { useServerEvents } from "./app/use-server-events.ts";
import { StartPage } from "./start/StartPage.tsx";
import { stations } from "./stations/registry.ts";
import { Workspace } from "./workbench/Workspace.tsx";
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

function ToFirst() {
  const [params] = useSearchParams();
  return <Navigate to={{ pathname: stations[0].path, search: `?${params}` }} replace />;
}

const router = createBrowserRouter([
  { path: "/", element: <StartPage />, errorElement: <CrashPage /> },
  {
    path: "/designs/:designId",
    element: <Workspace stations={stations} />,
    errorElement: <CrashPage />,
    children: [{ index: true, element: <ToFirst /> }, ...stations.map(({ path, Page }) => ({ path, Component: Page }))],
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
