// A plan from a URL alone: one request, and a check that it is answered well.
import { hideCredentials } from './credentials.js'
import { newDraft, writeDraft, type Imported } from './draft.js'
import { stepOfRequest } from './request.js'
import { httpUrl } from './url.js'

/**
 * Makes a draft of one GET.
 *
 * @param name - of the plan; by default from the address
 * @throws ImportFault for what is no address of HTTP
 */
export function importUrl(text: string, name = ''): Imported {
  const url = httpUrl(text.trim(), 'the address')
  const draft = newDraft(
    name || (url.pathname === '/' ? url.hostname : `${url.hostname}${decodeURI(url.pathname)}`),
    url.origin,
  )
  const step = stepOfRequest({ method: 'GET', url, headers: [], body: undefined }, draft)
  step.checks.push('status is 200')
  draft.journeys.push({ name: 'visit', steps: [step] })
  hideCredentials(draft)
  return writeDraft(draft)
}
