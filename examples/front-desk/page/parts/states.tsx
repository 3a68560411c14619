import { Alert, Button, Group, Loader, Text } from "@mantine/core";
import { ProblemError } from "../api.js";

/** Said in words that can be read, whatever colour frames them. */
export const readableTitle = { title: { color: "var(--mantine-color-text)" } };

/** Something is on its way. */
export const Loading = ({ what }: { readonly what: string }) => (
  <Group role="status" p="xl" justify="center">
    <Loader size="sm" />
    <Text>Fetching {what} …</Text>
  </Group>
);

/** Nothing is there, which is no error. */
export const Nothing = ({ children }: { readonly children: string }) => (
  <Text p="xl" ta="center" c="var(--mantine-color-text)">
    {children}
  </Text>
);

/** What the server would not do, in words. */
export function Failed({ error, again }: { readonly error: Error; readonly again?: () => unknown }) {
  const detail = error instanceof ProblemError ? error.problem.detail : undefined;
  return (
    <Alert styles={readableTitle} color="red" variant="outline" title={error.message} role="alert">
      {detail !== undefined && <Text size="sm">{detail}</Text>}
      {again !== undefined && (
        <Button mt="sm" size="xs" variant="default" onClick={() => void again()}>
          Try again
        </Button>
      )}
    </Alert>
  );
}
