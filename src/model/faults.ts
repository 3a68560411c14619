import type { Definitions, EntityDefinition, TargetOf } from "./entity.js";
import type { Holder, Link, Relation, Route } from "./relation.js";

/** A type that no value has, named after the fault that the compiler is to show. */
export interface Fault<Message extends string> {
  readonly fault: Message;
}

/** in: an entity and the columns of a key it should hold; out: unknown where it has them, else a fault. */
type KeyFault<D extends Definitions, X extends keyof D & string, B extends string> = [B] extends [keyof D[X]["columns"]]
  ? unknown
  : Fault<`${X} has no column '${Exclude<B, keyof D[X]["columns"]>}'`>;

/** in: an entity and names of relations, one after the other; out: unknown where all are there, else a fault. */
type RouteFault<D extends Definitions, E extends keyof D & string, S extends readonly string[]> = S extends readonly [
  infer First extends string,
  ...infer Rest extends readonly string[],
]
  ? First extends keyof D[E]["relations"]
    ? TargetOf<D, E, D[E]["relations"][First]> extends infer Next extends keyof D & string
      ? RouteFault<D, Next, Rest>
      : unknown
    : Fault<`${E} has no relation '${First}'`>
  : unknown;

/** in: a name; out: unknown where an entity has it, else a fault. */
type EntityFault<D extends Definitions, T extends string> = T extends keyof D
  ? unknown
  : Fault<`there is no entity '${T}' in this model`>;

/** in: definitions, an entity's name, one of its relations; out: unknown where it is right, else a fault. */
type RelationFault<D extends Definitions, E extends keyof D & string, R> =
  R extends Relation<infer _K, infer T, infer B, infer H extends Holder>
    ? T extends keyof D
      ? KeyFault<D, H extends "source" ? E : T, B>
      : EntityFault<D, T>
    : R extends Link<infer T, infer B>
      ? EntityFault<D, T> & EntityFault<D, B>
      : R extends Route<infer S>
        ? RouteFault<D, E, S>
        : unknown;

/** in: definitions; out: an object type that demands the impossible of the relations that are wrong. */
export type RelationFaults<D extends Definitions> = {
  readonly [E in keyof D]: D[E] extends EntityDefinition<infer _C, infer R>
    ? { readonly relations: { readonly [P in keyof R]: RelationFault<D, E & string, R[P]> } }
    : unknown;
};
