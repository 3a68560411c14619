import { Button, Group } from "@mantine/core";

interface Props {
  /** Where the parts before and after this one are; null where there is none. */
  readonly at: { readonly next: string | null; readonly previous: string | null };
  readonly go: (place: { readonly after: string } | { readonly before: string }) => void;
}

/** Leads to the parts of a list before and after this one. */
export const Further = ({ at: { next, previous }, go }: Props) => (
  <Group justify="space-between">
    <Button
      variant="default"
      disabled={previous === null}
      onClick={() => previous !== null && go({ before: previous })}
    >
      Before
    </Button>
    <Button variant="default" disabled={next === null} onClick={() => next !== null && go({ after: next })}>
      Further
    </Button>
  </Group>
);
