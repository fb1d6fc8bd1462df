import { i18n } from "@lingui/core";
import { I18nProvider } from "@lingui/react";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { RouterProvider } from "@tanstack/react-router";
import { Direction } from "radix-ui";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { Refused } from "./data/api";
import "./index.css";
import { direction } from "./languages/languages";
import { startingTheme } from "./parts/theme";
import { makeRouter } from "./router";

document.documentElement.dataset.theme = startingTheme();

const cache = new QueryClient({
  defaultOptions: {
    // What the service refuses, it refuses again; only silence is worth another try.
    queries: { retry: (n, e) => !(e instanceof Refused) && n < 2, refetchOnWindowFocus: false },
  },
});
const router = makeRouter(cache);

createRoot(document.getElementById("root")!).render(
  <StrictMode>
    <I18nProvider i18n={i18n}>
      <Direction.Provider dir={direction()}>
        <QueryClientProvider client={cache}>
          <RouterProvider router={router} />
        </QueryClientProvider>
      </Direction.Provider>
    </I18nProvider>
  </StrictMode>,
);
