import { Anchor, AppShell, Button, Group, Text, Title, useMantineColorScheme } from "@mantine/core";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, Route, Switch, useLocation } from "wouter";
import { answer, api } from "./api.js";
import { Foot } from "./parts/foot.js";
import { Failed, Loading, Nothing } from "./parts/states.js";
import { DashboardView } from "./views/dashboard.js";
import { ItemView } from "./views/item.js";
import { ItemForm } from "./views/item-form.js";
import { ItemsView } from "./views/items.js";
import { OverdueView } from "./views/overdue.js";
import { SignIn } from "./views/sign-in.js";

const places = [
  ["/", "Things"],
  ["/overdue", "Overdue"],
  ["/dashboard", "Figures"],
] as const;

function Places() {
  const [here] = useLocation();
  return (
    <Group component="nav" gap="md" aria-label="Views">
      {places.map(([path, label]) => (
        <Anchor
          component={Link}
          href={path}
          key={path}
          underline={here === path ? "always" : "hover"}
          fw={here === path ? 700 : 400}
          aria-current={here === path ? "page" : undefined}
        >
          {label}
        </Anchor>
      ))}
    </Group>
  );
}

function SchemeSwitch() {
  const { colorScheme, setColorScheme } = useMantineColorScheme();
  const next = { auto: "light", light: "dark", dark: "auto" } as const;
  return (
    <Button size="xs" variant="default" onClick={() => setColorScheme(next[colorScheme])}>
      Colours: {colorScheme}
    </Button>
  );
}

export function App() {
  const client = useQueryClient();
  const session = useQuery({ queryKey: ["session"], queryFn: () => answer(api().session.$get()) });
  if (session.isPending) return <Loading what="the desk" />;
  if (session.isError) return <Failed error={session.error} again={session.refetch} />;
  const { district, today } = session.data;
  if (district === null) return <SignIn />;
  const leave = async () => {
    await api().session.$delete();
    client.clear();
    await client.invalidateQueries();
    window.location.assign("/");
  };
  return (
    <AppShell header={{ height: 56 }} padding="md">
      <AppShell.Header px="md">
        <Group h="100%" justify="space-between" wrap="nowrap">
          <Group gap="lg" wrap="nowrap">
            <Title order={1} size="h4">
              Front desk
            </Title>
            <Places />
          </Group>
          <Group gap="sm" wrap="nowrap">
            <Text size="sm" visibleFrom="sm">
              {district}, {today}
            </Text>
            <SchemeSwitch />
            <Button size="xs" variant="default" onClick={() => void leave()}>
              Leave
            </Button>
          </Group>
        </Group>
      </AppShell.Header>
      <AppShell.Main pb="7rem">
        <Switch>
          <Route path="/" component={ItemsView} />
          <Route path="/things/:id/edit">{({ id }) => <ItemForm id={Number(id)} />}</Route>
          <Route path="/things/:id">{({ id }) => <ItemView id={Number(id)} today={today} />}</Route>
          <Route path="/overdue" component={OverdueView} />
          <Route path="/dashboard" component={DashboardView} />
          <Route>
            <Nothing>There is no such page.</Nothing>
          </Route>
        </Switch>
      </AppShell.Main>
      <AppShell.Footer>
        <Foot />
      </AppShell.Footer>
    </AppShell>
  );
}
