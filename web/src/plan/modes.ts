/** Ways to look at a plan. */
export const MODES = ['text', 'form', 'changes', 'history'] as const
export type Mode = (typeof MODES)[number]
