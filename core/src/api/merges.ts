// Branches on their way into the default branch of a project: looked at, approved by somebody else, merged.
import { array, boolean, number, object, string, type InferType } from 'yup'
import { BRANCH_NAME, HEAD } from './projects.js'
import { json, nothing, route } from './route.js'

const MERGE = object({
  branch: string().required(),
  commit: string().required(),
  /** Commits that it would bring. */
  commits: number().integer().required(),
  message: string().defined(),
  who: string().defined(),
  at: string().required(),
  /** Paths that it changes: the first of them, and how many there are. */
  files: array().of(string().defined()).required(),
  fileCount: number().integer().required(),
  /** Whether both have changed the same lines. */
  isInConflict: boolean().required(),
  /** Whether the default branch may go on to it. */
  mayGoOn: boolean().required(),
  approvals: array()
    .of(
      object({
        by: string().required(),
        at: string().required(),
        /** Why it does not count, where it does not. */
        why: string().nullable().defined(),
      }),
    )
    .required(),
  /** Why the one who asks may not approve it; null where they may. */
  whyNoApproval: string().nullable().defined(),
})
export type MergeLine = InferType<typeof MERGE>

/** A branch as it was looked at: what came to it since is not meant. */
const LOOKED_AT = object({
  branch: BRANCH_NAME.clone().required('branch is needed'),
  commit: string()
    .required('commit is needed: where the branch stood when you looked')
    .matches(/^(?:[0-9a-f]{40}|[0-9a-f]{64})$/, 'commit must be a whole commit id in hexadecimal digits'),
})

export const MERGE_ROUTES = {
  merges: route({
    method: 'GET',
    path: '/projects/{project}/merges',
    summary: 'branches that the default branch does not hold, with who has approved their merge',
    needs: 'read',
    status: 200,
    answer: json(
      object({
        isProtected: boolean().required(),
        defaultBranch: string().nullable().defined(),
        merges: array().of(MERGE).required(),
      }),
    ),
  }),
  mergeChanges: route({
    method: 'GET',
    path: '/projects/{project}/merges/changes',
    summary: 'what the merge of a branch would change, as a unified diff',
    needs: 'read',
    query: object({ branch: BRANCH_NAME.clone().required('branch is needed') }),
    status: 200,
    answer: json(object({ commit: string().required(), changes: string().defined(), isCut: boolean().required() })),
  }),
  approveMerge: route({
    method: 'POST',
    path: '/projects/{project}/merges/approvals',
    summary: 'approve the merge of a branch that somebody else has written',
    needs: 'write',
    body: LOOKED_AT,
    status: 201,
    answer: json(MERGE),
  }),
  merge: route({
    method: 'POST',
    path: '/projects/{project}/merges',
    summary: 'merge a branch into the default branch',
    needs: 'write',
    body: LOOKED_AT.clone(),
    status: 200,
    answer: json(HEAD),
  }),
  protect: route({
    method: 'PUT',
    path: '/projects/{project}/protection',
    summary: 'whether the default branch goes on only by merges that somebody else has approved',
    needs: 'admin',
    body: object({ isProtected: boolean().required() }),
    status: 204,
    answer: nothing,
  }),
}
