/** The languages that messages and patrons' pages can be written in, with their own names (`speech.All`). */
export const languages = [
  ["en", "English"],
  ["fr", "Français"],
] as const;

export const languageName = (code: string) => languages.find(([c]) => c === code)?.[1] ?? code;
