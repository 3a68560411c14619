import "@mantine/core/styles.css";
import "@mantine/charts/styles.css";
import { MantineProvider } from "@mantine/core";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { setNonce } from "get-nonce";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { ErrorBoundary } from "react-error-boundary";
import { ProblemError } from "./api.js";
import { App } from "./app.js";
import { CostProvider } from "./parts/cost.js";
import { Failed } from "./parts/states.js";
import { theme, variables } from "./theme.js";

// Styles that are made as the page runs are known by the number that came with it.
const nonce = document.querySelector<HTMLMetaElement>('meta[name="styles"]')?.content ?? "";
setNonce(nonce);

const client = new QueryClient({
  defaultOptions: {
    queries: { retry: (count, error) => !(error instanceof ProblemError) && count < 2, refetchOnWindowFocus: false },
  },
});

const root = document.getElementById("root");
if (root !== null)
  createRoot(root).render(
    <StrictMode>
      <MantineProvider
        cssVariablesResolver={variables}
        theme={theme}
        defaultColorScheme="auto"
        getStyleNonce={() => nonce}
      >
        <QueryClientProvider client={client}>
          <CostProvider>
            <ErrorBoundary
              fallbackRender={({ error }) => <Failed error={error as Error} again={() => location.reload()} />}
            >
              <App />
            </ErrorBoundary>
          </CostProvider>
        </QueryClientProvider>
      </MantineProvider>
    </StrictMode>,
  );
