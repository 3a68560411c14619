import { Button, Container, Stack, Text, Title } from "@mantine/core";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, api } from "../api.js";
import { Failed, Loading, Nothing } from "../parts/states.js";

/** At which desk somebody is. */
export function SignIn() {
  const client = useQueryClient();
  const desks = useQuery({ queryKey: ["desks"], queryFn: () => answer(api().desks.$get()) });
  const enter = useMutation({
    mutationFn: (district: number) => answer(api().session.$post({ json: { district } })),
    onSuccess: () => client.invalidateQueries({ queryKey: ["session"] }),
  });
  return (
    <Container component="main" size="xs" py="xl">
      <Title order={1} size="h2">
        Front desk
      </Title>
      <Text my="md">At which desk are you? You see and change what belongs to its district.</Text>
      {desks.isPending && <Loading what="the desks" />}
      {desks.isError && <Failed error={desks.error} again={desks.refetch} />}
      {enter.isError && <Failed error={enter.error} />}
      {desks.data?.length === 0 && <Nothing>There is no district yet.</Nothing>}
      <Stack gap="sm">
        {desks.data?.map(({ id, name }) => (
          <Button key={id} variant="default" size="md" loading={enter.isPending} onClick={() => enter.mutate(id)}>
            {name}
          </Button>
        ))}
      </Stack>
    </Container>
  );
}
