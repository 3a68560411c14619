/** What a server, a database or a role may have set for its sessions, each with some of its values. */
const choices: Readonly<Record<string, Readonly<Record<string, readonly string[]>>>> = {
  postgres: {
    datestyle: ["'ISO, MDY'", "'German, DMY'", "'SQL, MDY'", "'Postgres, DMY'"],
    bytea_output: ["'hex'", "'escape'"],
    extra_float_digits: ["1", "-15", "0", "3"],
    timezone: ["'UTC'", "'Asia/Kathmandu'", "'America/St_Johns'", "'Africa/Monrovia'"],
    intervalstyle: ["'postgres'", "'sql_standard'", "'iso_8601'", "'postgres_verbose'"],
    standard_conforming_strings: ["on", "off"],
    enable_hashagg: ["on", "off"],
    enable_nestloop: ["on", "off"],
  },
  mariadb: {
    sql_mode: [
      "''",
      "'ANSI_QUOTES,PIPES_AS_CONCAT,HIGH_NOT_PRECEDENCE,NO_BACKSLASH_ESCAPES,PAD_CHAR_TO_FULL_LENGTH'",
      "'ORACLE'",
      "'ONLY_FULL_GROUP_BY,NO_ZERO_DATE,STRICT_TRANS_TABLES'",
    ],
    time_zone: ["'+00:00'", "'+05:45'", "'-03:30'"],
    character_set_results: ["utf8mb4", "latin1"],
    collation_connection: ["utf8mb4_unicode_ci", "latin1_swedish_ci", "utf8mb4_bin"],
    group_concat_max_len: ["1048576", "8"],
    div_precision_increment: ["4", "0"],
  },
};

/** The statement that gives a session of an engine settings that somebody else chose; a number chooses them. */
export function oddSettings(engine: "postgres" | "mariadb", number: number): string {
  let rest = number;
  const set = Object.entries(choices[engine] ?? {}).map(([name, values]) => {
    const value = values[rest % values.length];
    rest = Math.floor(rest / values.length);
    return `${name} = ${value}`;
  });
  return engine === "postgres" ? set.map((one) => `set ${one}`).join("; ") : `set ${set.map((one) => `session ${one}`).join(", ")}`;
}

/** How many different ones there are. */
export const oddCount = (engine: "postgres" | "mariadb"): number => Object.values(choices[engine] ?? {}).reduce((all, { length }) => all * length, 1);
