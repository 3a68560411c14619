// Prints the lines of tests against the lines of code: the aim is a quarter to a third.
import { execFileSync } from "node:child_process";
import { readFileSync } from "node:fs";

const files = execFileSync("git", ["ls-files", "-co", "--exclude-standard"], { encoding: "utf8" })
  .split("\n")
  .filter((file) => /\.tsx?$/.test(file));
const lines = (wanted) =>
  files.filter(wanted).reduce((sum, file) => sum + readFileSync(file, "utf8").split("\n").length - 1, 0);
const tests = lines((file) => /^test\//.test(file) || /\.test\.tsx?$/.test(file));
const code = lines((file) => /^(src|tools|examples)\//.test(file) && !/\.test\.tsx?$/.test(file));
console.log(`tests ${tests} lines, code ${code} lines: ${Math.round((100 * tests) / code)} %`);
