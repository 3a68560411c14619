declare module "virtual:type-files" {
  const files: Readonly<Record<string, string>>;
  export default files;
}
