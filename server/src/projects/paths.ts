// Which files of a repository pages may read and write.

const READABLE = /\.(gate|steps|target|pipeline)\.yaml$/

/** A relative path, without steps upward, of a kind that a project is made of. */
export function isReadablePath(file: string): boolean {
  return READABLE.test(file) && isInnerPath(file)
}

/** A file of rows that pages read and write. */
export function isDataPath(file: string): boolean {
  return /\.(?:csv|jsonl|ndjson)$/.test(file) && isInnerPath(file)
}

/** Files that pages write: plans, targets, pipelines and shared steps, rows, and schemas that an import brings. */
export function isWritablePath(file: string): boolean {
  return isInnerPath(file) && (READABLE.test(file) || isDataPath(file) || /^schemas\/[\w.-]+\.json$/.test(file))
}

export function isInnerPath(file: string): boolean {
  return (
    file.length < 500 &&
    !file.startsWith('/') &&
    !file.split('/').some((part) => part === '..' || part.toLowerCase() === '.git' || part === '') &&
    !/[\0\n\\]/.test(file)
  )
}
