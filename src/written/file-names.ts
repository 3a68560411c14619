/** Names that no file can have on some systems, whatever the ending. */
const devices = /^(?:con|prn|aux|nul|com\d|lpt\d)$/;

/**
 * A name as a file can have it on every system, in no other folder: "Due dates!" → "due-dates". Empty where nothing of
 * it can stand in one.
 */
export function fileName(name: string): string {
  const plain = name
    .toLowerCase()
    .replaceAll(/[^\p{L}\p{N}_]+/gu, "-")
    .replaceAll(/^-+|-+$/g, "");
  const short = [...plain].slice(0, 60).join("");
  return devices.test(short) ? `${short}-` : short;
}
