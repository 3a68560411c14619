import { createContext, type ReactNode, useContext, useMemo, useState } from "react";
import type { Cost, Way } from "../../server/view.js";

/** In which way views are made, and what the one that is shown has cost, in each way that was tried. */
interface CostState {
  readonly way: Way;
  readonly setWay: (way: Way) => void;
  readonly costs: Readonly<Partial<Record<Way, Cost>>>;
  readonly setCosts: (costs: Readonly<Partial<Record<Way, Cost>>>) => void;
}

const CostContext = createContext<CostState | undefined>(undefined);

export function CostProvider({ children }: { readonly children: ReactNode }) {
  const [way, setWay] = useState<Way>("good");
  const [costs, setCosts] = useState<CostState["costs"]>({});
  const state = useMemo(() => ({ way, setWay, costs, setCosts }), [way, costs]);
  return <CostContext value={state}>{children}</CostContext>;
}

export function useCost(): CostState {
  const state = useContext(CostContext);
  if (state === undefined) throw new Error("useCost() stands outside of a CostProvider.");
  return state;
}
