// A cell that begins like a formula would be one in a spreadsheet; an apostrophe keeps it a text. Numbers stay numbers.
const defused = (text: string) => (/^[=+\-@\t\r]/.test(text) && Number.isNaN(Number(text)) ? `'${text}` : text);
const cell = (text: string) => (/[",\r\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text);

/** Rows as a file of comma-separated values, by RFC 4180. */
export const csv = (rows: string[][]) =>
  rows.map((r) => r.map((text) => cell(defused(text))).join(",")).join("\r\n") + "\r\n";

/** Saves a text as a file. */
export function save(name: string, type: string, text: string) {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob([text], { type }));
  link.download = name;
  link.click();
  URL.revokeObjectURL(link.href);
}
