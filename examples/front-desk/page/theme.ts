import { type CSSVariablesResolver, createTheme } from "@mantine/core";

export const theme = createTheme({
  primaryColor: "teal",
  // White on it can be read in both schemes.
  primaryShade: 9,
  defaultRadius: "md",
  cursorType: "pointer",
});

/** What is said of mistakes can be read in both schemes. */
export const variables: CSSVariablesResolver = () => ({
  variables: {},
  light: { "--mantine-color-error": "var(--mantine-color-red-9)" },
  dark: { "--mantine-color-error": "var(--mantine-color-red-4)" },
});
