import { commandFaults } from "./command-faults.js";
import { migrationFaults } from "./migration-faults.js";

const all = () => ({ ...commandFaults(), ...migrationFaults() });

export type ToolFaults = ReturnType<typeof all>;
let made: ToolFaults | undefined;

/** The faults of the command line and of migrations, by code. */
export function toolFaults(): ToolFaults {
  made ??= all();
  return made;
}
