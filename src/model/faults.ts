import type { Definitions, EntityDefinition } from "./entity.js";
import type { Relation } from "./relation.js";

/** A type that no value has, named after the fault that the compiler is to show. */
export interface Fault<Message extends string> {
  readonly fault: Message;
}

/** in: definitions, an entity's name, one of its relations; out: unknown where it is right, else a fault. */
type RelationFault<D extends Definitions, E extends keyof D, R> =
  R extends Relation<infer K, infer T, infer B>
    ? T extends keyof D
      ? [B] extends [keyof D[K extends "one" ? E : T]["columns"]]
        ? unknown
        : Fault<`${K extends "one" ? E & string : T} has no column '${Exclude<B, keyof D[K extends "one" ? E : T]["columns"]>}'`>
      : Fault<`there is no entity '${T}' in this model`>
    : unknown;

/** in: definitions; out: an object type that demands the impossible of the relations that are wrong. */
export type RelationFaults<D extends Definitions> = {
  readonly [E in keyof D]: D[E] extends EntityDefinition<infer _C, infer R>
    ? { readonly relations: { readonly [P in keyof R]: RelationFault<D, E, R[P]> } }
    : unknown;
};
