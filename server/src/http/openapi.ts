// The API's description of itself (OpenAPI 3.1).
import { VERSION } from '@jolt-gate/core/identity'

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

export const OPENAPI = {
  openapi: '3.1.0',
  info: { title: 'Jolt Gate', version: VERSION, description: 'Projects, plans and runs of a Jolt Gate server.' },
  servers: [{ url: '/api' }],
  security: [{ session: [] }, { token: [] }],
  components: {
    securitySchemes: {
      session: { type: 'apiKey', in: 'cookie', name: 'jolt_gate_session' },
      token: { type: 'http', scheme: 'bearer' },
    },
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
      post: operation('add a project: an existing folder, a clone, or an empty one', '201', [], {
        requestBody: body({ path: text, clone: text, name: text }, []),
      }),
    },
    '/projects/{project}/plans': {
      get: operation('list plans with preview and last run', '200', [path('project')]),
    },
    '/projects/{project}/plan': {
      get: operation('read a plan', '200', [path('project'), query('file')]),
      put: operation('save a plan: a commit with message and author', '200', [path('project'), query('file')], {
        requestBody: body({ text, message: text, base: { type: ['string', 'null'] } }, ['text', 'message']),
      }),
    },
    '/projects/{project}/files': {
      post: operation('add files in one commit', '201', [path('project')], {
        requestBody: body({ files: { type: 'array' }, message: text }, ['files', 'message']),
      }),
    },
    '/projects/{project}/branches': {
      get: operation('list branches', '200', [path('project')]),
      post: operation('create a branch and switch to it', '201', [path('project')], {
        requestBody: body({ name: text }, ['name']),
      }),
    },
    '/projects/{project}/branch': {
      put: operation('switch branch', '200', [path('project')], { requestBody: body({ name: text }, ['name']) }),
    },
    '/projects/{project}/history': {
      get: operation('commits of a file, with the runs at each', '200', [path('project'), query('file')]),
    },
    '/projects/{project}/version': {
      get: operation('a file as it was at a commit', '200', [path('project'), query('file'), query('commit')]),
    },
    '/projects/{project}/targets': { get: operation('list targets', '200', [path('project')]) },
    '/projects/{project}/targets/{target}': {
      put: operation('save a target: a commit', '200', [path('project'), path('target')], {
        requestBody: body({ text, message: text, base: { type: ['string', 'null'] } }, ['text', 'message']),
      }),
    },
    '/projects/{project}/targets/{target}/secrets/{secret}': {
      put: operation(
        'store a secret; it cannot be read back',
        '200',
        [path('project'), path('target'), path('secret')],
        {
          requestBody: body({ value: text }, ['value']),
        },
      ),
      delete: operation('delete a secret', '204', [path('project'), path('target'), path('secret')]),
    },
    '/projects/{project}/targets/{target}/metric': {
      post: operation('metric families at a URL of the target', '200', [path('project'), path('target')], {
        requestBody: body({ url: text }, ['url']),
      }),
    },
    '/projects/{project}/targets/{target}/control': {
      get: operation('whether control of the target is proven (RFC 8615)', '200', [path('project'), path('target')]),
    },
    '/projects/{project}/targets/{target}/approve': {
      post: operation('approve a target in writing', '201', [path('project'), path('target')], {
        requestBody: body({ words: text }, ['words']),
      }),
    },
    '/projects/{project}/rehearsals': {
      get: operation('latest rehearsals of a plan', '200', [path('project'), query('plan')]),
      post: operation(
        'rehearse a plan; each step is a line of JSON',
        '200',
        [path('project')],
        { requestBody: body({ plan: text, text, target: text, journey: text }, ['plan']) },
        'application/x-ndjson',
      ),
    },
    '/projects/{project}/runs': {
      get: operation('list runs, newest first', '200', [path('project'), query('plan', false)]),
      post: operation('start or queue a run', '201', [path('project')], {
        requestBody: body({ plan: text, target: text }, ['plan']),
      }),
    },
    '/queue': { get: operation('running and queued runs', '200') },
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
    '/session': {
      get: operation('the current session', '200'),
      post: operation('sign in', '201', [], {
        requestBody: body({ email: text, password: text }, ['email', 'password']),
      }),
      delete: operation('sign out', '200'),
    },
    '/session/demo': { post: operation('sign in to the demo, on loopback alone', '201') },
    '/people/first': {
      post: operation('the first administrator, on the server’s own machine', '201', [], {
        requestBody: body({ name: text, email: text, password: text }, ['name', 'email', 'password']),
      }),
    },
    '/people': {
      get: operation('list people', '200'),
      post: operation('add a person', '201', [], {
        requestBody: body({ name: text, email: text, password: text, role: text }, [
          'name',
          'email',
          'password',
          'role',
        ]),
      }),
    },
    '/people/{person}': {
      patch: operation('change a role', '200', [path('person')], { requestBody: body({ role: text }, ['role']) }),
      delete: operation('remove a person', '204', [path('person')]),
    },
    '/tokens': {
      get: operation('list your personal tokens', '200'),
      post: operation('create a token; it is shown once', '201', [], {
        requestBody: body({ label: text, scopes: { type: 'array' }, until: text }, ['label', 'scopes', 'until']),
      }),
    },
    '/tokens/{token}': { delete: operation('revoke a token', '204', [path('token')]) },
    '/audit-log': { get: operation('audit log, newest first', '200') },
    '/openapi.json': { get: operation('this description', '200') },
  },
}
