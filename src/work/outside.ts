import type { OutsideRule } from "../ir/index.js";
import { type LiveState, OutsideReachError, type Rules } from "../live/index.js";
import { type Unit, unitOf } from "./unit.js";

function ruleIn(rules: Rules | undefined, name: string, isFirst: boolean): OutsideRule | undefined {
  if (rules === undefined) return undefined;
  // Names are those of the query's own rows, not of what is below them.
  const named = isFirst ? rules.own.named.get(name) : undefined;
  return named ?? rules.own.all ?? ruleIn(rules.above, name, false);
}

/** What becomes of reading a relation or column that is not there; the narrowest rule wins. */
function ruleFor(unit: Unit, { rules }: LiveState, name: string): OutsideRule {
  return ruleIn(rules, name, true) ?? unit.settings.outside;
}

/**
 * Whether something outside of the reach is to be loaded; false: it is blank.
 * @throws OutsideReachError
 */
export function mayLoad(state: LiveState, name: string, isRelation: boolean): boolean {
  const unit = unitOf(state);
  const rule = unit.isEnded || state.status === "forgotten" ? "refuse" : ruleFor(unit, state, name);
  if (rule !== "refuse") return rule === "load";
  const { at } = state.cohort;
  throw new OutsideReachError({
    entity: state.kind.entity.name,
    name,
    at: at === undefined ? undefined : `${at.file}:${at.line}`,
    reach: isRelation ? `.reach({ ${name}: true })` : `.columns(…, "${name}")`,
    isEnded: unit.isEnded,
    isRelation,
  });
}
