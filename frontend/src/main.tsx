import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { Route, Switch } from "wouter";
import { DeskPage } from "./desk/frame/DeskPage";
import { RunPage } from "./show/RunPage";
import { StartPage } from "./start/StartPage";
import "./theme.css";
import { applyTheme } from "./ui/theme";

applyTheme();
const queries = new QueryClient({ defaultOptions: { queries: { retry: 1, refetchOnWindowFocus: false } } });
const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={queries}>
        <Switch>
          <Route path="/jobs/:id/run">{({ id }) => <RunPage key={id} id={id} />}</Route>
          <Route path="/jobs/:id">{({ id }) => <DeskPage key={id} id={id} />}</Route>
          <Route>
            <StartPage />
          </Route>
        </Switch>
      </QueryClientProvider>
    </StrictMode>,
  );
}
