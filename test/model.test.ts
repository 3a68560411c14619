import { expect, test } from "vitest";
import {
  choice,
  date,
  double,
  entity,
  GemachError,
  identity,
  integer,
  list,
  model,
  numeric,
  snakeCase,
  text,
  toMany,
  toOne,
  varchar,
} from "../src/index.js";

// biome-ignore lint/suspicious/noExplicitAny: mistakes that the types refuse are made past them
const made = (definitions: any, options?: any) => () => model(definitions, options);

const depot = entity("depot", { id: identity, name: text });

/** What is wrong, and the line that says so. */
const mistakes: readonly (readonly [name: string, definitions: object, line: string, options?: object])[] = [
  [
    "an unknown target, nearly right",
    {
      Depot: depot,
      Item: entity("item", { id: identity, depotId: integer }, { depot: toOne("Depott", { by: "depotId" }) }),
    },
    "Item.depot: there is no entity 'Depott'. Did you mean 'Depot'?",
  ],
  [
    "an unknown target, like no other",
    { Item: entity("item", { id: identity, ownerId: integer }, { owner: toOne("Household", { by: "ownerId" }) }) },
    "Item.owner: there is no entity 'Household'.",
  ],
  [
    "a to-one key that the entity does not have",
    {
      Depot: depot,
      Item: entity("item", { id: identity, depotId: integer }, { depot: toOne("Depot", { by: "depoId" }) }),
    },
    "Item.depot: Item has no column 'depoId'. Did you mean 'depotId'?",
  ],
  [
    "a to-many key that the target does not have",
    {
      Depot: entity("depot", { id: identity }, { items: toMany("Item", { by: "depot" }) }),
      Item: entity("item", { id: identity, depotId: integer }),
    },
    "Depot.items: Item has no column 'depot'. Did you mean 'depotId'?",
  ],
  [
    "a key of another kind",
    {
      Depot: depot,
      Item: entity("item", { id: identity, depotId: text }, { depot: toOne("Depot", { by: "depotId" }) }),
    },
    "Item.depot: 'depotId' is text, but Depot.id is identity",
  ],
  [
    "fewer columns than the primary key has",
    {
      Shelf: entity("shelf", { depotId: integer.key, number: integer.key }),
      Item: entity("item", { id: identity, depotId: integer }, { shelf: toOne("Shelf", { by: "depotId" }) }),
    },
    "Item.shelf: by names 1 column ('depotId'), but the primary key of Shelf has 2 ('depotId', 'number')",
  ],
  [
    "no primary key",
    { Depot: entity("depot", { name: text }) },
    "Depot: no primary key; make a column identity, or mark one or more with .key",
  ],
  [
    "a nullable primary key",
    { Depot: entity("depot", { code: text.key.nullable }) },
    "Depot.code: a column of the primary key cannot be nullable",
  ],
  [
    "two properties for one column",
    { Depot: entity("depot", { id: identity, name: text, title: text.named("name") }) },
    "Depot: 'name' and 'title' are both the column 'name'",
  ],
  [
    "a column and a relation of one name",
    {
      Depot: entity("depot", { id: identity, items: integer }, { items: toMany("Item", { by: "depotId" }) }),
      Item: entity("item", { id: identity, depotId: integer }),
    },
    "Depot: 'items' is the name of a column and of a relation",
  ],
  [
    "a relation named as a method",
    {
      Depot: entity("depot", { id: identity }, { count: toMany("Item", { by: "depotId" }) }),
      Item: entity("item", { id: identity, depotId: integer }),
    },
    "Depot.count: a relation cannot have this name, it is a method of the builder",
  ],
  [
    "a relation named as the language does",
    {
      // biome-ignore lint/suspicious/noThenProperty: the mistake under test
      Depot: entity("depot", { id: identity }, { then: toMany("Item", { by: "depotId" }) }),
      Item: entity("item", { id: identity, depotId: integer }),
    },
    "Depot.then: a relation cannot have this name, the language uses it",
  ],
  [
    "a column named as the language does",
    { Depot: entity("depot", { id: identity, constructor: text }) },
    "Depot.constructor: a column cannot have this name, the language uses it",
  ],
  [
    "a varchar without room",
    { Item: entity("item", { id: identity, label: varchar(0) }) },
    "Item.label: a varchar has 1 to 16,383 characters",
  ],
  [
    "a numeric of too many digits",
    { Item: entity("item", { id: identity, price: numeric(66, 2) }) },
    "Item.price: a numeric has 1 to 65 digits",
  ],
  [
    "a numeric with more digits after the point than in all",
    { Item: entity("item", { id: identity, price: numeric(4, 5) }) },
    "Item.price: a numeric has 0 to 38 digits after the point, and no more than in all",
  ],
  [
    "a choice that says a text twice",
    { Item: entity("item", { id: identity, state: choice("new", "new") }) },
    "Item.state: a choice has each text once",
  ],
  [
    "a list of lists",
    { Item: entity("item", { id: identity, tags: list(list(text)) }) },
    "Item.tags: a list cannot be of list",
  ],
  [
    "a key of a kind that engines tell apart in their own ways",
    { Item: entity("item", { weight: double.key }) },
    "Item.weight: double cannot be part of a primary key",
  ],
  [
    "a default that the column does not hold",
    { Item: entity("item", { id: identity, due: date.defaultsTo("soon") }) },
    "Item.due: its default is not a day such as '2026-05-01'",
  ],
  ["a table without a name", { Depot: entity("", { id: identity }) }, "Depot: the table has no name"],
  [
    "a column without a name",
    { Depot: entity("depot", { id: identity, name: text.named("") }) },
    "Depot.name: the column has no name",
  ],
  [
    "one table twice",
    { Depot: depot, Shed: entity("depot", { id: identity }) },
    "Shed: the table 'depot' belongs to Depot already",
  ],
  [
    "two properties that the convention makes one column of",
    { Depot: entity("depot", { id: identity, dueDay: text, due_day: text }) },
    "Depot: 'dueDay' and 'due_day' are both the column 'due_day'",
    { columnNames: snakeCase },
  ],
];

test.each(mistakes)("a model with %s is refused", (_, definitions, line, options) => {
  expect(made(definitions, options)).toThrow(
    expect.objectContaining({ code: "MODEL_INVALID", names: { mistakes: [line] } }),
  );
});

test("all mistakes are in one error, a line each", () => {
  const wrong = {
    Depot: entity("depot", { name: text }, { items: toMany("Itm", { by: "depotId" }) }),
    Item: entity("item", { id: identity, depotId: text }),
  };
  expect(made(wrong)).toThrow(GemachError);
  expect(made(wrong)).toThrow(
    [
      "The model has 2 mistakes:",
      "  - Depot: no primary key; make a column identity, or mark one or more with .key",
      "  - Depot.items: there is no entity 'Itm'. Did you mean 'Item'?",
      "Correct each line where the model is written.",
    ].join("\n"),
  );
});

test.each([
  ["dueDay", "due_day"],
  ["id", "id"],
  ["itemID", "item_id"],
  ["HTTPPort", "http_port"],
  ["line2Text", "line2_text"],
])("snakeCase makes of %s the column %s", (name, column) => expect(snakeCase(name)).toBe(column));
