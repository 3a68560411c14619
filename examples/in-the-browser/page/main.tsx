import "./styles.js";
import { createTheme, MantineProvider } from "@mantine/core";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { ErrorBoundary } from "react-error-boundary";
import { App } from "./app.js";
import { Wrong } from "./parts/states.js";

const theme = createTheme({ primaryColor: "indigo", primaryShade: 8, defaultRadius: "md", cursorType: "pointer" });

if (import.meta.env.PROD) void navigator.serviceWorker?.register("./offline.js");

const root = document.getElementById("root");
if (root !== null)
  createRoot(root).render(
    <StrictMode>
      <MantineProvider theme={theme} defaultColorScheme="auto">
        <ErrorBoundary
          fallbackRender={({ error }) => (
            <Wrong title="Something went wrong on this page." message={(error as Error).message} />
          )}
        >
          <App />
        </ErrorBoundary>
      </MantineProvider>
    </StrictMode>,
  );
