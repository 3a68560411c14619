import { createTheme } from "@mantine/core";

export const theme = createTheme({
  primaryColor: "teal",
  // White on it can be read in both schemes.
  primaryShade: 9,
  defaultRadius: "md",
  cursorType: "pointer",
});
