export const large = async (): Promise<string> => "";
