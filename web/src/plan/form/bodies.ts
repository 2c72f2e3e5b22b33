// The kinds of body that a request may have, and what each begins as.
import type { Written } from '@jolt-gate/core'

interface Body {
  key: 'json' | 'form' | 'text' | 'xml' | 'multipart' | 'file'
  label: string
  start: Written
}
export const BODIES: readonly Body[] = [
  { key: 'json', label: 'JSON', start: { name: 'value' } },
  { key: 'form', label: 'Form', start: { name: 'value' } },
  { key: 'text', label: 'Text', start: 'text' },
  { key: 'xml', label: 'XML', start: '<value/>' },
  { key: 'multipart', label: 'Multipart', start: { name: 'value' } },
  { key: 'file', label: 'File', start: 'data/body.json' },
]
