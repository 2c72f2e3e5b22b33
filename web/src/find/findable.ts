// Everything that can be found or done from anywhere.
import type { RouteLocationRaw } from 'vue-router'
import { api } from '../api/client.js'
import { runWords } from '../text/run-words.js'

export interface Found {
  kind: 'plan' | 'step' | 'run' | 'target' | 'do'
  label: string
  more: string
  to?: RouteLocationRaw
  /** An action of the application itself. */
  act?: string
}

const ACTIONS: Found[] = [
  { kind: 'do', label: 'Change between light and dark', more: '', act: 'theme' },
  { kind: 'do', label: 'Show the shortcuts', more: '?', act: 'shortcuts' },
  { kind: 'do', label: 'Sign out', more: '', act: 'sign out' },
]

export async function findable(project: number | undefined): Promise<Found[]> {
  if (project === undefined) return ACTIONS
  const at = (name: string, query: Record<string, string> = {}) => ({ name, params: { project }, query })
  const [plans, runs, targets] = await Promise.all([
    api.plans(project).catch(() => undefined),
    api.runs(project).catch(() => undefined),
    api.targets(project).catch(() => undefined),
  ])
  const inPlans = (plans?.plans ?? []).flatMap(({ file, name, steps }): Found[] => [
    { kind: 'plan', label: name, more: file, to: at('plan', { file }) },
    ...steps.map((step): Found => ({
      kind: 'step',
      label: step.name,
      more: name,
      to: at('plan', { file, line: String(step.line) }),
    })),
    { kind: 'do', label: `Rehearse ${name}`, more: '', to: at('rehearsal', { file, go: '1' }) },
  ])
  return [
    ...inPlans,
    ...(targets?.targets ?? []).map(({ name, target }): Found => ({
      kind: 'target',
      label: name,
      more: target?.origin ?? '',
      to: at('targets', { target: name }),
    })),
    { kind: 'do', label: 'Import a plan', more: 'recording, OpenAPI, WSDL, curl, URL', to: at('import') },
    { kind: 'do', label: 'Write a new plan', more: '', to: at('plans', { new: 'yes' }) },
    { kind: 'do', label: 'Show schedules', more: '', to: at('schedules') },
    { kind: 'do', label: 'Show generators', more: '', to: at('generators') },
    { kind: 'do', label: 'Create a token', more: '', to: { name: 'account' } },
    { kind: 'do', label: 'Add a project', more: '', to: { name: 'home', query: { add: 'yes' } } },
    ...ACTIONS,
    ...(runs?.runs ?? []).slice(0, 60).map((run): Found => ({
      kind: 'run',
      label: `${String(run.number)} ${run.planName}`,
      more: runWords(run),
      to: { name: 'run', params: { project, run: run.id } },
    })),
  ]
}
