#!/usr/bin/env node
import { createRequire } from "node:module";
import { pathToFileURL } from "node:url";

// The command is a package of its own, so that a program that is served carries none of what only its developers use.
const tools = "gemach-tools/command";

/** Where the tools are: beside the project that asks for them, or beside this package. */
function found(): string | undefined {
  for (const from of [pathToFileURL(`${process.cwd()}/package.json`).href, import.meta.url])
    try {
      return createRequire(from).resolve(tools);
    } catch {}
  return undefined;
}

const file = found();
if (file === undefined) {
  console.error("The command needs the package 'gemach-tools', which is not installed.");
  console.error("Install it with `npm install -D gemach-tools`.");
  process.exitCode = 2;
} else await import(pathToFileURL(file).href);
