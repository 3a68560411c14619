import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import type { Shown, Way } from "../../server/view.js";
import { useCost } from "./cost.js";

/** A view of the page, made in the way that its foot says; tells the foot what it cost. */
export function useView<O>(key: readonly unknown[], fetch: (way: Way) => Promise<Shown<O>>) {
  const { way, setCosts } = useCost();
  const client = useQueryClient();
  const found = useQuery({ queryKey: [...key, way], queryFn: () => fetch(way), placeholderData: keepPreviousData });
  const other: Way = way === "good" ? "naive" : "good";
  const { data } = found;
  const tried = client.getQueryData<Shown<O>>([...key, other]);
  useEffect(() => {
    if (data === undefined) return;
    setCosts({ [data.cost.way]: data.cost, ...(tried === undefined ? {} : { [tried.cost.way]: tried.cost }) });
  }, [data, tried, setCosts]);
  useEffect(() => () => setCosts({}), [setCosts]);
  return { ...found, shown: data?.shown };
}
