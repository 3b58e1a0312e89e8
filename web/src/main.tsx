import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { createRoot } from "react-dom/client";

import { App } from "./App";
import { recallTheme } from "./ui/theme";
import "./styles.css";

recallTheme();
createRoot(document.getElementById("root")!).render(
  <QueryClientProvider
    client={new QueryClient({ defaultOptions: { queries: { refetchOnWindowFocus: false, retry: 2 } } })}
  >
    <App />
  </QueryClientProvider>,
);
