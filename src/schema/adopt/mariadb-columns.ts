import type { ColumnLayout } from "../../sql/index.js";
import { byCodePoint, typeForm } from "../compare/forms.js";
import { tokensOf } from "../text/tokens.js";
import { type ColumnCode, callCode, calling, kindCode, remarking } from "./code.js";

const own = (code: ColumnCode, type: unknown): ColumnCode => calling(code, "storedAs", { mariadb: type });

const textsIn = (type: string): readonly string[] =>
  [...tokensOf(type, "mariadb")].filter(({ kind }) => kind === "string").map(({ text }) => text);

const spatial = /^(?:geometry|point|linestring|polygon|multipoint|multilinestring|multipolygon|geometrycollection)$/;

/** The column of a model for one of MariaDB. */
export function mariadbColumn(column: ColumnLayout, isIndexed: boolean, isJson: boolean): ColumnCode {
  const { type, collation } = column;
  const form = typeForm(type, "mariadb");
  const [, kind = "", first, second, rest = ""] = /^([a-z0-9]+)(?:\((\d+)(?:,(\d+))?\))?(.*)$/.exec(form) ?? [];
  const isUnsigned = rest.includes("unsigned");
  if (form === "tinyint(1)") return kindCode("boolean");
  if (form === "char(36)" && collation === "ascii_nopad_bin") return kindCode("uuid");
  switch (kind) {
    case "tinyint":
    case "smallint":
    case "mediumint":
    case "year":
      return own(kindCode("integer"), type);
    case "int":
      return rest === "" ? kindCode("integer") : own(kindCode(isUnsigned ? "bigint" : "integer"), type);
    case "bigint":
      return rest === ""
        ? kindCode("bigint")
        : isUnsigned
          ? own(callCode("numeric", 20, 0), type)
          : own(kindCode("bigint"), type);
    case "decimal": {
      const [precision, scale] = [Number(first ?? 10), Number(second ?? 0)];
      if (precision > 65 || scale > 38) break;
      const code = callCode("numeric", precision, scale);
      return rest === "" ? code : own(code, type);
    }
    case "double":
      return first === undefined && rest === "" ? kindCode("double") : own(kindCode("double"), type);
    case "float":
      return own(kindCode("double"), type);
    case "varchar":
      return callCode("varchar", Number(first));
    case "char":
      return callCode("character", Number(first));
    case "longtext":
      if (isJson) return callCode("json");
      return isIndexed ? own(kindCode("text"), type) : kindCode("text");
    case "tinytext":
    case "text":
    case "mediumtext":
      return own(kindCode("text"), type);
    case "enum": {
      const [one, ...others] = textsIn(type);
      if (one === undefined) break;
      return own(callCode("choice", one, ...others), type);
    }
    case "date":
      return kindCode("date");
    case "time":
      return first === "6" ? kindCode("time") : own(kindCode("time"), type);
    case "datetime":
      return first === "6" ? kindCode("localTimestamp") : own(kindCode("localTimestamp"), type);
    case "timestamp":
      return own(kindCode("isoTimestamp"), type);
    case "longblob":
      return kindCode("bytes");
    case "tinyblob":
    case "blob":
    case "mediumblob":
    case "binary":
    case "varbinary":
      return own(kindCode("bytes"), type);
    case "bit":
      return own(kindCode(first === "1" ? "boolean" : "bigint"), { type, read: "? + 0" });
    case "uuid":
      return own(kindCode("uuid"), type);
    default:
  }
  if (spatial.test(kind)) return own(kindCode("text"), { type, read: "st_astext(?)", write: "st_geomfromtext(?)" });
  return remarking(own(kindCode("text"), type), `${type}: code has it as MariaDB writes it`);
}

/** Whether a collation is the one that tables of a model have. */
export const isUsual = (collation: string | undefined): boolean => collation === undefined || collation === byCodePoint;
