// Labels of a run, as the command, the application and the API take them.

/** `name=value`: letters, digits, ".", "_" and "-", then up to 200 characters in one line. */
export const LABEL = /^([\w.-]{1,60})=([^\n\r]{0,200})$/
export const MOST_LABELS = 20
export const LABEL_WORDS = 'expected name=value: letters, digits, ".", "_" and "-", then up to 200 characters'

/** One label as it is written; undefined where it is none. */
export function readLabel(pair: string): [name: string, value: string] | undefined {
  const [, name, value] = LABEL.exec(pair) ?? []
  return name === undefined || value === undefined ? undefined : [name, value]
}

/** Labels as they are written, in order. */
export const labelsWritten = (labels: Readonly<Record<string, string>>): string[] =>
  Object.entries(labels).map(([name, value]) => `${name}=${value}`)
