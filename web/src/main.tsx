import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { setNonce } from "get-nonce";
import { createRoot } from "react-dom/client";

import { App } from "./App";
import { recallTheme } from "./ui/theme";
import { learn } from "./words/language";
import "./styles.css";

setNonce(document.querySelector<HTMLMetaElement>('meta[name="style-nonce"]')?.content ?? "");
recallTheme();
await learn();
createRoot(document.getElementById("root")!).render(
  <QueryClientProvider
    client={new QueryClient({ defaultOptions: { queries: { refetchOnWindowFocus: false, retry: 2 } } })}
  >
    <App />
  </QueryClientProvider>,
);
