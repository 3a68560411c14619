import type { Command } from "commander";

/** Shells that completions are for. */
type Shell = "bash" | "zsh" | "fish";

/** What can be written after a command: its options. */
const optionsOf = (command: Command): readonly string[] => [
  ...command.options.flatMap(({ long }) => (long == null ? [] : [long])),
  "--help",
];

const commandsOf = (program: Command): readonly Command[] => program.commands;

function bash(program: Command): string {
  const cases = commandsOf(program).map(
    (command) => `    ${command.name()}) words="${optionsOf(command).join(" ")}" ;;`,
  );
  return `_gemach() {
  local words="${commandsOf(program)
    .map((command) => command.name())
    .join(" ")} --help --version"
  [ "$COMP_CWORD" -gt 1 ] && case "\${COMP_WORDS[1]}" in
${cases.join("\n")}
  esac
  COMPREPLY=($(compgen -W "$words" -- "\${COMP_WORDS[COMP_CWORD]}"))
}
complete -o default -F _gemach gemach`;
}

const quoted = (text: string): string => text.replaceAll("'", "'\\''").replaceAll(":", "\\:");

function zsh(program: Command): string {
  const commands = commandsOf(program).map((command) => `    '${command.name()}:${quoted(command.description())}'`);
  const cases = commandsOf(program).map((command) => {
    const options = command.options.flatMap(({ long, description }) =>
      long == null ? [] : [`'${long}[${quoted(description).replaceAll(/[[\]]/g, "")}]'`],
    );
    return `    ${command.name()}) _arguments ${options.join(" ")} '*:file:_files' ;;`;
  });
  return `#compdef gemach
_gemach() {
  local -a commands=(
${commands.join("\n")}
  )
  if (( CURRENT == 2 )); then _describe command commands; return; fi
  case "$words[2]" in
${cases.join("\n")}
  esac
}
compdef _gemach gemach`;
}

function fish(program: Command): string {
  const said = (text: string) => text.replaceAll("'", "\\'");
  const commands = commandsOf(program).map(
    (command) =>
      `complete -c gemach -n __fish_use_subcommand -f -a ${command.name()} -d '${said(command.description())}'`,
  );
  const options = commandsOf(program).flatMap((command) =>
    command.options.flatMap(({ long, description }) =>
      long == null
        ? []
        : [
            `complete -c gemach -n '__fish_seen_subcommand_from ${command.name()}' -l ${long.slice(2)} -d '${said(description)}'`,
          ],
    ),
  );
  return [...commands, ...options].join("\n");
}

/** The script that completes the program's commands and options in a shell. */
export const completions = (program: Command, shell: Shell): string => ({ bash, zsh, fish })[shell](program);
