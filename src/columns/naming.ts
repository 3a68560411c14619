/** Derives a column's name in the table from the name that code uses. */
export type NameConvention = (name: string) => string;

/** Names are the same in code and table: the default of `columnNames`. */
export const sameName: NameConvention = (name) => name;

/** `dueDate` in code, `due_date` in the table. */
export const snakeCase: NameConvention = (name) =>
  name
    .replace(/([a-z0-9])([A-Z])/g, "$1_$2")
    .replace(/([A-Z])([A-Z][a-z])/g, "$1_$2")
    .toLowerCase();
