import type { Fault } from "../ir/index.js";
import type { Definitions, TargetOf } from "./entity.js";
import type { Link } from "./relation.js";

/** in: an entity and the columns of a key it should hold; out: never where it has them, else a fault. */
type KeyFault<D extends Definitions<D>, X extends keyof D & string, B extends string> = [B] extends [
  keyof D[X]["columns"],
]
  ? never
  : Fault<`${X} has no column '${Exclude<B, keyof D[X]["columns"]>}'`>;

/** in: an entity and names of relations, one after the other; out: never where all are there, else a fault. */
type RouteFault<
  D extends Definitions<D>,
  E extends keyof D & string,
  S extends readonly string[],
> = S extends readonly [infer First extends string, ...infer Rest extends readonly string[]]
  ? First extends keyof D[E]["relations"]
    ? TargetOf<D, E, D[E]["relations"][First]> extends infer Next extends keyof D & string
      ? RouteFault<D, Next, Rest>
      : never
    : Fault<`${E} has no relation '${First}'`>
  : never;

/** in: a name; out: never where an entity has it, else a fault. */
type EntityFault<D extends Definitions<D>, T extends string> = T extends keyof D & string
  ? never
  : Fault<`there is no entity '${T}' in this model`>;

/** in: definitions, an entity's name, one of its relations; out: never where it is right, else a fault. */
type RelationFault<D extends Definitions<D>, E extends keyof D & string, R> = R extends {
  readonly target: infer T extends string;
  readonly holder: infer H;
  readonly by: readonly (infer B extends string)[];
}
  ? T extends keyof D & string
    ? KeyFault<D, H extends "source" ? E : T, B>
    : EntityFault<D, T>
  : R extends { readonly steps: infer S extends readonly string[] }
    ? RouteFault<D, E, S>
    : R extends Link<infer T, infer B>
      ? EntityFault<D, T> | EntityFault<D, B>
      : never;

/** in: an entity; out: all faults of its relations. */
type FaultsOf<D extends Definitions<D>, E extends keyof D & string> = {
  readonly [P in keyof D[E]["relations"]]: RelationFault<D, E, D[E]["relations"][P]>;
};

/** in: definitions; out: the faults of all relations. */
type AllFaults<D extends Definitions<D>> = {
  readonly [E in keyof D & string]: FaultsOf<D, E>[keyof D[E]["relations"]];
}[keyof D & string];

/**
 * in: definitions; out: unknown where they are right, else an object type that demands the impossible of
 * the relations that are wrong.
 */
export type RelationFaults<D extends Definitions<D>> = [AllFaults<D>] extends [never]
  ? unknown
  : {
      readonly [E in keyof D & string]: [FaultsOf<D, E>[keyof D[E]["relations"]]] extends [never]
        ? unknown
        : {
            readonly relations: {
              readonly [P in keyof D[E]["relations"]]: [FaultsOf<D, E>[P]] extends [never]
                ? unknown
                : FaultsOf<D, E>[P];
            };
          };
    };
