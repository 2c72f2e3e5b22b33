// The service's description of itself (OpenAPI 3.1).

const json = (description: string) => ({ description, content: { 'application/json': { schema: { type: 'object' } } } })
const query = (name: string) => ({ name, in: 'query', required: true, schema: { type: 'string' } })
const path = (name: string) => ({ name, in: 'path', required: true, schema: { type: 'string' } })
const body = (properties: Record<string, { type: string }>) => ({
  required: true,
  content: { 'application/json': { schema: { type: 'object', properties, required: Object.keys(properties) } } },
})
const signedIn = [{ token: [] }]

export const OPENAPI = {
  openapi: '3.1.0',
  info: { title: 'Larkholm Ferries', version: '1.0.0' },
  components: { securitySchemes: { token: { type: 'http', scheme: 'bearer' } } },
  paths: {
    '/sessions': {
      post: {
        summary: 'sign in',
        requestBody: body({ user: { type: 'string' }, password: { type: 'string' } }),
        responses: { 201: json('a token'), 401: json('unknown user') },
      },
    },
    '/sailings': {
      get: {
        summary: 'search sailings',
        parameters: [query('from'), query('day')],
        responses: { 200: json('sailings') },
      },
    },
    '/sailings/{sailing}': {
      get: {
        summary: 'view sailing',
        parameters: [path('sailing')],
        responses: { 200: json('a sailing'), 404: json('no such sailing') },
      },
    },
    '/holds': {
      post: {
        summary: 'hold a place',
        security: signedIn,
        requestBody: body({ sailing: { type: 'string' }, people: { type: 'integer' } }),
        responses: { 201: json('a hold') },
      },
      delete: {
        summary: 'drop the holds of a run',
        security: signedIn,
        parameters: [query('run')],
        responses: { 200: json('how many') },
      },
    },
    '/holds/{hold}': {
      get: {
        summary: 'view hold',
        parameters: [path('hold')],
        responses: { 200: json('a hold'), 404: json('no such hold') },
      },
    },
    '/bookings': {
      post: {
        summary: 'pay',
        security: signedIn,
        requestBody: body({ hold: { type: 'string' }, amount: { type: 'integer' } }),
        responses: { 201: json('a booking'), 409: json('the hold is gone') },
      },
    },
    '/bookings/{booking}': {
      delete: {
        summary: 'cancel a booking',
        security: signedIn,
        parameters: [path('booking')],
        responses: { 204: { description: 'cancelled' } },
      },
    },
    '/health': { get: { summary: 'health', responses: { 200: json('well') } } },
    '/metrics': { get: { summary: 'readings as OpenMetrics text', responses: { 200: { description: 'readings' } } } },
  },
}
