// What a person says when a file is saved: its text, and why.
import { object, string } from 'yup'

export const message = string().trim().required('enter a commit message').max(2000)
export const saveShape = object({
  text: string().defined('text is needed').max(1_000_000),
  message,
  /** Fingerprint of the text that was edited; a save over something newer is refused. */
  base: string().nullable().default(null),
})
