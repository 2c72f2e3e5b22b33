// Bodies set out for reading.

/** JSON and XML with margins; anything else as it is. */
export function prettyBody(text: string, type: string): string {
  if (/json/.test(type) || /^\s*[[{]/.test(text)) {
    try {
      return JSON.stringify(JSON.parse(text), null, 2)
    } catch {
      return text
    }
  }
  return /xml/.test(type) ? prettyXml(text) : text
}

/** One element a line; text stays beside the tags around it. */
function prettyXml(text: string): string {
  let depth = 0
  return text
    .replaceAll(/>\s+</g, '><')
    .split(/(?<=>)(?=<)/)
    .map((part) => {
      const closes = part.startsWith('</')
      if (closes) depth = Math.max(0, depth - 1)
      const line = `${'  '.repeat(depth)}${part}`
      const opens = /^<[^!?/]/.test(part) && !part.endsWith('/>') && !/<\/[^<]*>$/.test(part)
      if (opens) depth++
      return line
    })
    .join('\n')
}
