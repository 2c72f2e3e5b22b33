/** Ways to look at a plan. */
export const MODES = ['text', 'form', 'changes', 'history'] as const
export type Mode = (typeof MODES)[number]

export const MODE_LABELS: Readonly<Record<Mode, string>> = {
  text: 'Text',
  form: 'Form',
  changes: 'Edits',
  history: 'History',
}
