// People, their sessions and tokens, and the audit log.
import { array, boolean, date, number, object, string, type InferType } from 'yup'
import { json, nothing, route, SCOPES } from './route.js'

/** A reporter uploads runs that pipelines make, and does nothing else. */
export const ROLES = ['reader', 'reporter', 'author', 'administrator'] as const
export type Role = (typeof ROLES)[number]
/** What a person is in one project, where that is another role than elsewhere; `none`: it does not exist for them. */
export const PROJECT_ROLES = ['none', ...ROLES] as const
export type ProjectRole = (typeof PROJECT_ROLES)[number]

const email = () =>
  string()
    .trim()
    .lowercase()
    .required('enter an email address')
    .max(200)
    .matches(/^[^<>\s]+@[^<>\s]+$/, 'not an email address')
const name = () =>
  string()
    .trim()
    .required('enter a name')
    .max(100)
    .matches(/^[^<>\n]+$/, 'a name may not contain < or >')
const password = () => string().required('enter a password').min(10, 'a password needs at least 10 characters').max(200)
const role = () => string().oneOf(ROLES).required('choose a role')
const moment = () => string().defined()

const PERSON = object({
  id: number().required(),
  name: string().required(),
  email: string().required(),
  role: role(),
})
export type Person = InferType<typeof PERSON>

/** A person with the roles that differ from project to project. */
const LISTED_PERSON = PERSON.shape({
  projects: array()
    .of(object({ project: number().required(), role: string().oneOf(PROJECT_ROLES).required() }))
    .required(),
})
export type ListedPerson = InferType<typeof LISTED_PERSON>

const SOMEBODY = object({
  kind: string().oneOf(['somebody']).required(),
  person: PERSON.required(),
  /** The token of this session against forged requests, which every change carries. */
  csrf: string().defined(),
})
/** `provider`: its name, where people can sign in by one. */
const SIGNED_OUT = object({
  kind: string().oneOf(['signed out']).required(),
  isDemo: boolean().required(),
  /** Whether people sign in by password. */
  hasPasswords: boolean().required(),
  provider: string().nullable().defined(),
})
/** No account exists yet. */
const FIRST = object({ kind: string().oneOf(['first']).required(), isDemo: boolean().required() })
export type Session = InferType<typeof SOMEBODY> | InferType<typeof SIGNED_OUT> | InferType<typeof FIRST>

/** On a request of a page that a person is behind, who has touched a key or the pointer a moment ago. */
export const ACTIVE_HEADER = 'jolt-gate-active'

const TOKEN = object({
  id: number().required(),
  label: string().required(),
  scopes: array().of(string().defined()).required(),
  /** The one project that it is for; null for all of its person's. */
  project: number().nullable().defined(),
  expiresAt: moment(),
  usedAt: string().nullable().defined(),
})
const EVENT = object({
  id: number().required(),
  at: moment(),
  who: string().required(),
  event: string().required(),
  detail: string().defined(),
  projectId: number().nullable().defined(),
})
export type AuditEvent = InferType<typeof EVENT>

/** Credentials and names as a person enters them: pages check them by these, too. */
export const SIGN_IN = object({ email: email(), password: string().required('enter a password').max(200) })
export const FIRST_PERSON = object({
  name: name(),
  email: email(),
  password: password(),
  /** Printed where the server was started: the one who has it runs the server. */
  code: string().trim().required('enter the setup code that the server printed when it started').max(100),
})
export const NEW_PERSON = object({ name: name(), email: email(), password: password(), role: role() })
export const CHANGED_PASSWORD = object({
  current: string().required('enter your present password').max(200),
  password: password(),
  /** Whether the tokens that were made until now end, too. */
  endsTokens: boolean().default(false),
})
export const RESET_PASSWORD = object({ password: password() })
export const NEW_TOKEN = object({
  label: string().trim().required('enter what the token is for').max(100),
  scopes: array().of(string().oneOf(SCOPES).required()).min(1, 'choose at least one scope').required(),
  until: date().required('enter an end date').min(new Date(0)),
  /** The one project that it is for; by default all. */
  project: number()
    .transform((asked: number) => (asked === 0 ? null : asked))
    .integer()
    .positive()
    .nullable()
    .default(null),
})

/** A key by which a person signs commits. */
const SIGNING_KEY = object({
  id: number().integer().required(),
  label: string().required(),
  publicKey: string().required(),
  madeAt: moment(),
})
export type SigningKeyLine = InferType<typeof SIGNING_KEY>
export const NEW_SIGNING_KEY = object({
  label: string().trim().required('enter a name for the key').max(100),
  publicKey: string()
    .trim()
    .required('paste the public half')
    .max(1000)
    .matches(/^ssh-ed25519 \S+/, 'a public key of Ed25519 begins with ssh-ed25519'),
})

export const PEOPLE_ROUTES = {
  session: route({
    method: 'GET',
    path: '/session',
    summary: 'the current session',
    needs: 'nothing',
    status: 200,
    answer: json(SOMEBODY, SIGNED_OUT, FIRST),
  }),
  signIn: route({
    method: 'POST',
    path: '/session',
    summary: 'sign in',
    needs: 'nothing',
    body: SIGN_IN,
    status: 201,
    answer: json(SOMEBODY),
  }),
  signInToDemo: route({
    method: 'POST',
    path: '/session/demo',
    summary: 'sign in to the demo, on loopback alone',
    needs: 'nothing',
    status: 201,
    answer: json(SOMEBODY),
  }),
  addFirst: route({
    method: 'POST',
    path: '/people/first',
    summary: 'the first administrator, by the setup code that the server prints at its start',
    needs: 'nothing',
    body: FIRST_PERSON,
    status: 201,
    answer: json(SOMEBODY),
  }),
  signOut: route({
    method: 'DELETE',
    path: '/session',
    summary: 'sign out',
    needs: 'account',
    status: 204,
    answer: nothing,
  }),
  changePassword: route({
    method: 'PUT',
    path: '/session/password',
    summary: 'change your password; your other sessions end',
    needs: 'account',
    body: CHANGED_PASSWORD,
    status: 204,
    answer: nothing,
  }),
  people: route({
    method: 'GET',
    path: '/people',
    summary: 'list people',
    needs: 'admin',
    status: 200,
    answer: json(object({ people: array().of(LISTED_PERSON).required() })),
  }),
  addPerson: route({
    method: 'POST',
    path: '/people',
    summary: 'add a person',
    needs: 'admin',
    body: NEW_PERSON,
    status: 201,
    answer: json(PERSON),
  }),
  changeRole: route({
    method: 'PATCH',
    path: '/people/{person}',
    summary: 'change a role',
    needs: 'admin',
    body: object({ role: role() }),
    status: 200,
    answer: json(PERSON),
  }),
  setProjectRole: route({
    method: 'PUT',
    path: '/people/{person}/projects/{id}',
    summary: 'give a person another role in one project; none of their own when the role is empty',
    needs: 'admin',
    body: object({ role: string().oneOf(PROJECT_ROLES).nullable().defined() }),
    status: 204,
    answer: nothing,
  }),
  resetPassword: route({
    method: 'PUT',
    path: '/people/{person}/password',
    summary: 'give a person a new password; their sessions end',
    needs: 'admin',
    body: RESET_PASSWORD,
    status: 204,
    answer: nothing,
  }),
  removePerson: route({
    method: 'DELETE',
    path: '/people/{person}',
    summary: 'remove a person',
    needs: 'admin',
    status: 204,
    answer: nothing,
  }),
  signingKeys: route({
    method: 'GET',
    path: '/signing-keys',
    summary: 'list the keys by which you sign commits',
    needs: 'account',
    status: 200,
    answer: json(object({ keys: array().of(SIGNING_KEY).required() })),
  }),
  addSigningKey: route({
    method: 'POST',
    path: '/signing-keys',
    summary: 'register the public half of a key by which you sign commits (SSH, Ed25519)',
    needs: 'account',
    body: NEW_SIGNING_KEY,
    status: 201,
    answer: json(SIGNING_KEY),
  }),
  removeSigningKey: route({
    method: 'DELETE',
    path: '/signing-keys/{key}',
    summary: 'take signatures of a key no more',
    needs: 'account',
    status: 204,
    answer: nothing,
  }),
  tokens: route({
    method: 'GET',
    path: '/tokens',
    summary: 'list your personal tokens',
    needs: 'account',
    status: 200,
    answer: json(object({ tokens: array().of(TOKEN).required() })),
  }),
  createToken: route({
    method: 'POST',
    path: '/tokens',
    summary: 'create a token; it is shown once',
    needs: 'account',
    body: NEW_TOKEN,
    status: 201,
    answer: json(object({ id: number().required(), token: string().required() })),
  }),
  revokeToken: route({
    method: 'DELETE',
    path: '/tokens/{token}',
    summary: 'revoke a token',
    needs: 'account',
    status: 204,
    answer: nothing,
  }),
  checkAuditLog: route({
    method: 'GET',
    path: '/audit-log/check',
    summary: 'whether each entry of the audit log still bears the hash of itself and of the one before it',
    needs: 'admin',
    status: 200,
    answer: json(
      object({
        entries: number().integer().required(),
        /** The first entry that does not; null where all do. */
        brokenAt: number().integer().nullable().defined(),
        /** The hash of the last entry: kept elsewhere it shows whether any was taken off the end. */
        head: string().defined(),
      }),
    ),
  }),
  access: route({
    method: 'GET',
    path: '/access',
    summary: 'every token and every shared link that has not ended',
    needs: 'admin',
    status: 200,
    answer: json(
      object({
        tokens: array()
          .of(TOKEN.shape({ person: string().required() }))
          .required(),
        shares: array()
          .of(
            object({
              id: number().integer().required(),
              project: number().integer().required(),
              run: string().required(),
              number: number().integer().required(),
              plan: string().required(),
              by: string().required(),
              at: moment(),
              until: moment(),
            }),
          )
          .required(),
      }),
    ),
  }),
  endToken: route({
    method: 'DELETE',
    path: '/access/tokens/{token}',
    summary: 'revoke a token of anybody',
    needs: 'admin',
    status: 204,
    answer: nothing,
  }),
  endShare: route({
    method: 'DELETE',
    path: '/access/shares/{share}',
    summary: 'revoke a shared link of anybody',
    needs: 'admin',
    status: 204,
    answer: nothing,
  }),
  auditLog: route({
    method: 'GET',
    path: '/audit-log',
    summary: 'audit log, newest first, a hundred at a time',
    needs: 'admin',
    query: object({
      /** In who, what and its details. */
      search: string().trim().max(200).optional(),
      /** Only what was before this entry. */
      before: number().integer().positive().optional(),
    }),
    status: 200,
    answer: json(object({ events: array().of(EVENT).required(), hasMore: boolean().required() })),
  }),
}
