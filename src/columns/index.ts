export {
  type AnyColumn,
  bigint,
  boolean,
  bytes,
  type Column,
  type ColumnFacts,
  type ColumnTrait,
  type ColumnValue,
  character,
  choice,
  date,
  double,
  epoch,
  factsKey,
  type HasTrait,
  identity,
  integer,
  isoTimestamp,
  json,
  type kindOf,
  list,
  localTimestamp,
  type MadeInDatabase,
  numeric,
  text,
  time,
  timestamp,
  type traitsOf,
  uuid,
  type valuesType,
  type valueType,
  varchar,
} from "./column.js";
export {
  addDecimals,
  atScale,
  compareDecimals,
  type Decimal,
  decimalText,
  divideDecimals,
  multiplyDecimals,
  parseDecimal,
} from "./decimal.js";
export { derived, derivedByName } from "./derived.js";
export { digitsOf } from "./digits.js";
export {
  canonicalInstant,
  canonicalLocal,
  canonicalTime,
  digitsIn,
  isDay,
  secondsBetween,
  secondsLater,
} from "./instant.js";
export { jsonPart } from "./json-part.js";
export { type ComparedKind, comparedKind, comparedKindsThat, kinds } from "./kinds.js";
export { lowerCase, upperCase } from "./letter-case.js";
export { monthsBetween, monthsLater } from "./months.js";
export { type NameConvention, sameName, snakeCase } from "./naming.js";
export { decimalIn, wholeIn } from "./parsed.js";
export { platform } from "./platform.js";
export { issuesOf, type StandardIssue, type StandardResult, type StandardSchema } from "./standard-schema.js";
export {
  type AnyValueObject,
  type Columns,
  codeName,
  flatColumns,
  isValueObject,
  type ValueObject,
  value,
} from "./value-object.js";
export {
  canonicalOf,
  checked,
  decoderFor,
  type Encoder,
  encoderFor,
  expectedOf,
  typeWord,
  unfitWord,
} from "./value-rules.js";
export type {
  Codec,
  ColumnKind,
  Scalar,
  StoredForm,
  ValueType,
} from "./value-type.js";
