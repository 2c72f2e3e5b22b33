// Text of a result in the HTML report.

/** Text that can be no markup, in content and in attributes. */
export function text(value: string): string {
  return value.replaceAll(/[&<>"']/g, (char) => `&#${String(char.charCodeAt(0))};`)
}
