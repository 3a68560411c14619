import { expect, test } from "vitest";
import {
  choice,
  date,
  double,
  entity,
  GemachError,
  identity,
  integer,
  json,
  linked,
  list,
  model,
  numeric,
  snakeCase,
  text,
  toMany,
  toOne,
  value,
  varchar,
  via,
} from "../src/index.js";

// biome-ignore lint/suspicious/noExplicitAny: mistakes that the types refuse are made past them
const made = (definitions: any, options?: any) => () => model(definitions, options);

const depot = entity("depot", { id: identity, name: text });

/** What is wrong, and the line that says so. */
const mistakes: readonly (readonly [name: string, definitions: object, line: string, options?: object | undefined, second?: string])[] = [
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
    "Depot: no primary key; make a column identity, mark one or more with .key, or say withoutKey: true of a table that has none",
  ],
  ["a nullable primary key", { Depot: entity("depot", { code: text.key.nullable }) }, "Depot.code: a column of the primary key cannot be nullable"],
  [
    "two properties for one column",
    { Depot: entity("depot", { id: identity, name: text, title: text.named("name") }) },
    "Depot: 'name' and 'title' are both the column 'name'",
  ],
  [
    "a column and a relation of one name",
    {
      Depot: entity("depot", { id: identity, items: integer }, { items: toMany("Item", { by: "depotId", constraint: false }) }),
      Item: entity("item", { id: identity, depotId: integer }),
    },
    "Depot: 'items' is the name of a column and of a relation",
  ],
  [
    "a to-many without a way back",
    {
      Depot: entity("depot", { id: identity }, { items: toMany("Item", { by: "depotId" }) }),
      Item: entity("item", { id: identity, depotId: integer }),
    },
    "Depot.items: Item has no to-one relation over 'depotId' to Depot; add one, or say constraint: false",
  ],
  [
    "a relation named as a method",
    {
      Depot: entity("depot", { id: identity }, { count: toMany("Item", { by: "depotId", constraint: false }) }),
      Item: entity("item", { id: identity, depotId: integer }),
    },
    "Depot.count: a relation cannot have this name, it is a method of the builder",
  ],
  [
    "a relation named as the language does",
    {
      // biome-ignore lint/suspicious/noThenProperty: the mistake under test
      Depot: entity("depot", { id: identity }, { then: toMany("Item", { by: "depotId", constraint: false }) }),
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
    "a step that is no relation",
    {
      Depot: entity("depot", { id: identity }, { items: toMany("Item", { by: "depotId", constraint: false }), lent: via("items", "lones") }),
      Item: entity("item", { id: identity, depotId: integer }, { loans: toMany("Loan", { by: "itemId", constraint: false }) }),
      Loan: entity("loan", { id: identity, itemId: integer }),
    },
    "Depot.lent: Item has no relation 'lones'. Did you mean 'loans'?",
  ],
  [
    "a way that goes in a circle",
    { Depot: entity("depot", { id: identity }, { a: via("b"), b: via("a") }) },
    "Depot.a: it goes in a circle: Depot.a → Depot.b → Depot.a",
    undefined,
    "Depot.b: it goes in a circle: Depot.b → Depot.a → Depot.b",
  ],
  [
    "a link entity that does not lead back",
    {
      Kit: entity("kit", { id: identity }, { items: linked("Item", { by: "KitItem" }) }),
      Item: entity("item", { id: identity }),
      KitItem: entity("kit_item", { kitId: integer.key, itemId: integer.key }, { item: toOne("Item", { by: "itemId" }) }),
    },
    "Kit.items: KitItem has no to-one relation to Kit",
  ],
  [
    "a link entity that leads there twice",
    {
      Member: entity("member", { id: identity }, { friends: linked("Member", { by: "Friendship", from: "one" }) }),
      Friendship: entity(
        "friendship",
        { oneId: integer.key, otherId: integer.key },
        { one: toOne("Member", { by: "oneId" }), other: toOne("Member", { by: "otherId" }) },
      ),
    },
    "Member.friends: Friendship has several relations to Member; say which by 'to': 'one', 'other'",
  ],
  [
    "a link entity that is not there",
    {
      Kit: entity("kit", { id: identity }, { items: linked("Kit", { by: "KitItm" }) }),
      KitItem: entity("kit_item", { id: identity }),
    },
    "Kit.items: there is no entity 'KitItm'. Did you mean 'KitItem'?",
  ],
  [
    "a one-to-one relation that may be to many",
    {
      Item: entity("item", { id: identity }, { manual: toOne("Manual", { keyInTarget: "itemId" }) }),
      Manual: entity("manual", { id: identity, itemId: integer }),
    },
    "Item.manual: 'itemId' of Manual may be the same in several rows; mark it unique, or use toMany",
  ],
  [
    "a key that refers to what is not unique",
    {
      Depot: entity("depot", { id: identity, code: text }),
      Item: entity("item", { id: identity, depotCode: text }, { depot: toOne("Depot", { by: "depotCode", to: "code" }) }),
    },
    "Item.depot: 'code' of Depot is not unique",
  ],
  [
    "a condition on a column that is not there",
    {
      Depot: entity("depot", { id: identity }, { items: toMany("Item", { by: "depotId", when: { stat: "new" } }) }),
      Item: entity("item", { id: identity, depotId: integer, state: choice("new", "old") }),
    },
    "Depot.items: Item has no column 'stat'. Did you mean 'state'?",
  ],
  [
    "a condition that no row fulfils",
    {
      Depot: entity("depot", { id: identity }, { items: toMany("Item", { by: "depotId", when: { state: "lost" } }) }),
      Item: entity("item", { id: identity, depotId: integer, state: choice("new", "old") }),
    },
    "Depot.items: the condition on Item.state is not one of 'new', 'old'",
  ],
  [
    "a condition for no value where there always is one",
    {
      Depot: entity("depot", { id: identity }, { items: toMany("Item", { by: "depotId", when: { depotId: null } }) }),
      Item: entity("item", { id: identity, depotId: integer }),
    },
    "Depot.items: Item.depotId always has a value",
  ],
  [
    "an order by a column that is not there",
    {
      Depot: entity("depot", { id: identity }, { items: toMany("Item", { by: "depotId", order: { nam: "asc" } }) }),
      Item: entity("item", { id: identity, depotId: integer, name: text }),
    },
    "Depot.items: Item has no column 'nam'. Did you mean 'name'?",
  ],
  [
    "an index on a column that is not there",
    { Item: entity("item", { id: identity, name: text }, {}, { indexes: [{ on: ["nam desc" as "name"] }] }) },
    "Item: an index: Item has no column 'nam'. Did you mean 'name'?",
  ],
  [
    "an index on what no engine sorts alike",
    { Item: entity("item", { id: identity, tags: list(text) }, {}, { indexes: [{ on: ["tags"] }] }) },
    "Item: an index cannot be on 'tags', which is list",
  ],
  ["a varchar without room", { Item: entity("item", { id: identity, label: varchar(0) }) }, "Item.label: a varchar has 1 to 16,383 characters"],
  ["a numeric of too many digits", { Item: entity("item", { id: identity, price: numeric(66, 2) }) }, "Item.price: a numeric has 1 to 65 digits"],
  [
    "a numeric with more digits after the point than in all",
    { Item: entity("item", { id: identity, price: numeric(4, 5) }) },
    "Item.price: a numeric has 0 to 38 digits after the point, and no more than in all",
  ],
  ["a choice that says a text twice", { Item: entity("item", { id: identity, state: choice("new", "new") }) }, "Item.state: a choice has each text once"],
  ["a list of documents", { Item: entity("item", { id: identity, tags: list(json()) }) }, "Item.tags: a list cannot be of json"],
  [
    "two columns of one path",
    { Depot: entity("depot", { id: identity, "a.b": text.named("x"), a: value({ b: text }) }) },
    "Depot: two columns are called 'a.b'",
  ],
  [
    "a key of a table that has none",
    { Depot: entity("depot", { id: identity }, {}, { withoutKey: true }) },
    "Depot: it is said to be without a key, but has a primary key",
  ],
  [
    "a shared table of nobody",
    { Depot: depot, Shed: entity("shed", { id: identity }, {}, { sharedWith: "Depot" }) },
    "Shed: sharedWith names no entity that 'shed' belongs to",
  ],
  [
    "a column that a shared table has not",
    { Depot: depot, Shed: entity("depot", { id: identity, height: integer }, {}, { sharedWith: "Depot" }) },
    "Shed: Depot, whose table it shares, has no column 'height'",
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
  ["a column without a name", { Depot: entity("depot", { id: identity, name: text.named("") }) }, "Depot.name: the column has no name"],
  [
    "one table twice",
    { Depot: depot, Shed: entity("depot", { id: identity }) },
    "Shed: the table 'depot' belongs to Depot already; say sharedWith: \"Depot\" if it is meant",
  ],
  [
    "two properties that the convention makes one column of",
    { Depot: entity("depot", { id: identity, dueDay: text, due_day: text }) },
    "Depot: 'dueDay' and 'due_day' are both the column 'due_day'",
    { columnNames: snakeCase },
  ],
];

test.each(mistakes)("a model with %s is refused", (_, definitions, line, options, second) => {
  expect(made(definitions, options)).toThrow(
    expect.objectContaining({
      code: "MODEL_INVALID",
      names: { mistakes: second === undefined ? [line] : [line, second] },
    }),
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
      "  - Depot: no primary key; make a column identity, mark one or more with .key, or say withoutKey: true of a table that has none",
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
