// Badges: the last verdict of a plan on a branch as a picture, for a page of somebody else.
import { boolean, object, string } from 'yup'
import { json, route, textOf } from './route.js'

const BADGE_KEY = object({ badgeKey: string().nullable().defined() })

export const BADGE_ROUTES = {
  badges: route({
    method: 'GET',
    path: '/projects/{project}/badges',
    summary: 'the key in the address of public badges; null where they are not public',
    needs: 'read',
    status: 200,
    answer: json(BADGE_KEY),
  }),
  publishBadges: route({
    method: 'PUT',
    path: '/projects/{project}/badges',
    summary: 'make the badges of a project public under a new address, or take them back',
    needs: 'admin',
    body: object({ isPublic: boolean().required() }),
    status: 200,
    answer: json(BADGE_KEY),
  }),
  badge: route({
    method: 'GET',
    path: '/badges/{key}',
    summary: 'the last verdict of a plan on a branch, as a picture',
    needs: 'nothing',
    query: object({
      plan: string().required('plan is needed: the path of its file').max(500),
      branch: string().max(200).optional(),
    }),
    status: 200,
    answer: textOf('image/svg+xml'),
  }),
}
