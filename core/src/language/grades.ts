// The grades of how a run would have felt to users, from best to worst.

export const GRADES = ['steady', 'strained', 'failing', 'lost'] as const
export type Grade = (typeof GRADES)[number]
