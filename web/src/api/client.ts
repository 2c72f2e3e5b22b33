// Calls of the server's API; what it refuses becomes an error in the person's words.
import type { ApiProblem, PlanSummary, PlanText, Project, RunDetail, RunSummary, Saved, Head } from './types.js'

export class ApiError extends Error {
  constructor(readonly problem: ApiProblem) {
    super(problem.detail)
  }
}

export const api = {
  projects: () => call<{ projects: Project[] }>('GET', '/projects'),
  openProject: (path: string) => call<Project>('POST', '/projects', { path }),
  plans: (project: number) => call<{ plans: PlanSummary[] } & Head>('GET', `/projects/${String(project)}/plans`),
  plan: (project: number, file: string) =>
    call<PlanText>('GET', `/projects/${String(project)}/plan?file=${encodeURIComponent(file)}`),
  savePlan: (
    project: number,
    file: string,
    change: { text: string; message: string; author: { name: string; email: string }; base: string | null },
  ) => call<Saved>('PUT', `/projects/${String(project)}/plan?file=${encodeURIComponent(file)}`, change),
  startRun: (project: number, plan: string) => call<RunSummary>('POST', `/projects/${String(project)}/runs`, { plan }),
  runs: (project: number, plan?: string) =>
    call<{ runs: RunSummary[] }>(
      'GET',
      `/projects/${String(project)}/runs${plan === undefined ? '' : `?plan=${encodeURIComponent(plan)}`}`,
    ),
  run: (id: string) => call<RunDetail>('GET', `/runs/${id}`),
  stopRun: (id: string) => call<{ stopping: boolean }>('POST', `/runs/${id}/stop`),
  line: () => call<{ runs: RunSummary[] }>('GET', '/line'),
}

async function call<T>(method: string, path: string, body?: unknown): Promise<T> {
  const init: RequestInit =
    body === undefined
      ? { method }
      : { method, headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) }
  let response: Response
  try {
    response = await fetch(`/api${path}`, init)
  } catch {
    throw new ApiError({
      title: 'No answer',
      detail: 'The server does not answer. Is it still running?',
      code: 'NO_ANSWER',
      status: 0,
    })
  }
  const answer: unknown = await response.json().catch(() => undefined)
  if (response.ok) return answer as T
  throw new ApiError(
    isProblem(answer)
      ? answer
      : {
          title: 'Error',
          detail: `the server answered ${String(response.status)}`,
          code: 'ERROR',
          status: response.status,
        },
  )
}

function isProblem(value: unknown): value is ApiProblem {
  return typeof value === 'object' && value !== null && 'detail' in value && typeof value.detail === 'string'
}

/** The words to show for anything that went wrong. */
export function wordsOf(error: unknown): string {
  return error instanceof Error ? error.message : String(error)
}
