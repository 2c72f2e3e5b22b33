// A dialog takes the cursor: once it is open, its first field has it, also when it opens for the second time.

/** Puts the cursor into the field of the open dialog that is marked for it. */
export function takeCursor(): void {
  const fields = [...document.querySelectorAll<HTMLElement>('.el-dialog [autofocus]')]
  fields.findLast((field) => field.offsetParent !== null)?.focus()
}
