import "./styles.js";
import { createTheme, MantineProvider } from "@mantine/core";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { App } from "./app.js";

const theme = createTheme({ primaryColor: "indigo", primaryShade: 8, defaultRadius: "md", cursorType: "pointer" });

if (import.meta.env.PROD) void navigator.serviceWorker?.register("./offline.js");

const root = document.getElementById("root");
if (root !== null)
  createRoot(root).render(
    <StrictMode>
      <MantineProvider theme={theme} defaultColorScheme="auto">
        <App />
      </MantineProvider>
    </StrictMode>,
  );
