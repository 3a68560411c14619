/** The name of a file without its folders. */
export const basename = (file = ""): string => file.slice(Math.max(file.lastIndexOf("/"), file.lastIndexOf("\\")) + 1);
