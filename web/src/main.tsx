import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { App } from "./app";
import { ApiError } from "./refusal";
import { applyTheme } from "./ui/theme";
import "./styles.css";

const queries = new QueryClient({
  defaultOptions: {
    // An answer with a reason is an answer; only silence is worth asking again.
    queries: { staleTime: 5_000, retry: (times, error) => times < 2 && error instanceof ApiError && error.status === 0 },
  },
});

applyTheme();
// A file that is dropped where nothing takes it would take the place of the page.
for (const event of ["dragover", "drop"]) window.addEventListener(event, (dropped) => dropped.preventDefault());
const root = document.getElementById("root");
if (!root) throw new Error("The page has no root element.");
createRoot(root).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <BrowserRouter>
        <App />
      </BrowserRouter>
    </QueryClientProvider>
  </StrictMode>,
);
