import { Alert, Group, Loader, Text } from "@mantine/core";

/** Said in words that can be read, whatever colour frames them. */
export const readableTitle = { title: { color: "var(--mantine-color-text)" } };

/** Something is on its way. */
export const Loading = ({ what }: { readonly what: string }) => (
  <Group role="status">
    <Loader size="sm" />
    <Text>Opening {what} …</Text>
  </Group>
);

/** What went wrong, in words. */
export const Wrong = ({ title, message }: { readonly title: string; readonly message: string }) => (
  <Alert styles={readableTitle} color="red" variant="outline" title={title} role="alert">
    <Text size="sm" style={{ whiteSpace: "pre-wrap" }}>
      {message}
    </Text>
  </Alert>
);
