// The API's description of itself (OpenAPI 3.1).

type Operation = Record<string, unknown>
const answer = (description: string, type = 'application/json') => ({
  description,
  content: { [type]: { schema: {} } },
})
const problem = {
  description: 'what went wrong, where, and what to do',
  content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/Problem' } } },
}
const path = (name: string) => ({ name, in: 'path', required: true, schema: { type: 'string' } })
const query = (name: string, required = true) => ({ name, in: 'query', required, schema: { type: 'string' } })
const body = (properties: Record<string, unknown>, required: string[]) => ({
  required: true,
  content: { 'application/json': { schema: { type: 'object', properties, required } } },
})
const text = { type: 'string' }

function operation(
  summary: string,
  ok: string,
  parameters: unknown[] = [],
  more: Operation = {},
  type?: string,
): Operation {
  return { summary, parameters, responses: { [ok]: answer(summary, type), default: problem }, ...more }
}

const author = { type: 'object', properties: { name: text, email: text }, required: ['name', 'email'] }

export const OPENAPI = {
  openapi: '3.1.0',
  info: { title: 'Jolt Gate', version: '0.1.0', description: 'Projects, plans and runs of a Jolt Gate server.' },
  servers: [{ url: '/api' }],
  components: {
    schemas: {
      Problem: {
        type: 'object',
        description: 'RFC 9457',
        properties: { type: text, title: text, status: { type: 'integer' }, code: text, detail: text },
        required: ['title', 'status', 'code', 'detail'],
      },
    },
  },
  paths: {
    '/projects': {
      get: operation('list projects', '200'),
      post: operation('open a Git working copy on this machine', '201', [], {
        requestBody: body({ path: text }, ['path']),
      }),
    },
    '/projects/{project}/plans': {
      get: operation('list plans with what they would send and their last run', '200', [path('project')]),
    },
    '/projects/{project}/plan': {
      get: operation('read a plan', '200', [path('project'), query('file')]),
      put: operation('save a plan: a commit with message and author', '200', [path('project'), query('file')], {
        requestBody: body({ text, message: text, author, base: { type: ['string', 'null'] } }, [
          'text',
          'message',
          'author',
        ]),
      }),
    },
    '/projects/{project}/targets': { get: operation('list targets', '200', [path('project')]) },
    '/projects/{project}/runs': {
      get: operation('list runs, newest first', '200', [path('project'), query('plan', false)]),
      post: operation('start a run, or put it in the line', '201', [path('project')], {
        requestBody: body({ plan: text, target: text }, ['plan']),
      }),
    },
    '/line': { get: operation('the run that goes and those that wait', '200') },
    '/runs/{run}': { get: operation('a run with its plan, shape and result', '200', [path('run')]) },
    '/runs/{run}/stream': {
      get: operation(
        'the seconds of a run as server-sent events, resumed by Last-Event-ID',
        '200',
        [path('run')],
        {},
        'text/event-stream',
      ),
    },
    '/runs/{run}/stop': { post: operation('stop a run', '202', [path('run')]) },
    '/runs/{run}/result.json': { get: operation('result.json, format 1', '200', [path('run')]) },
    '/runs/{run}/junit.xml': { get: operation('JUnit XML', '200', [path('run')], {}, 'application/xml') },
    '/runs/{run}/report.md': { get: operation('Markdown', '200', [path('run')], {}, 'text/markdown') },
    '/openapi.json': { get: operation('this description', '200') },
  },
}
