/** Text as a table's cell; what a table program would take for a formula is told as text. */
export const csvText = (text: string): string =>
  `"${(/^[=+\-@\t\r]/.test(text) ? `'${text}` : text).replace(/"/g, '""')}"`;
