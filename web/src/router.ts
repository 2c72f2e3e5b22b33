import { useBranchLookedAt } from './stores/branches.js'
import { createRouter, createWebHistory } from 'vue-router'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', name: 'home', component: () => import('./plans/HomePage.vue') },
    {
      path: '/p/:project(\\d+)/plans',
      name: 'plans',
      component: () => import('./plans/PlansPage.vue'),
      meta: { area: 'plans' },
    },
    {
      path: '/p/:project(\\d+)/merges',
      name: 'merges',
      component: () => import('./plans/MergesPage.vue'),
      meta: { area: 'plans' },
    },
    {
      path: '/p/:project(\\d+)/plan',
      name: 'plan',
      component: () => import('./plan/PlanPage.vue'),
      meta: { area: 'plans' },
    },
    {
      path: '/p/:project(\\d+)/runs',
      name: 'runs',
      component: () => import('./runs/RunsPage.vue'),
      meta: { area: 'runs' },
    },
    {
      path: '/p/:project(\\d+)/runs/:run',
      name: 'run',
      component: () => import('./run/RunPage.vue'),
      meta: { area: 'runs' },
    },
    {
      path: '/p/:project(\\d+)/trend',
      name: 'trend',
      component: () => import('./trend/TrendPage.vue'),
      meta: { area: 'runs' },
    },
    {
      path: '/p/:project(\\d+)/compare',
      name: 'compare',
      component: () => import('./compare/ComparePage.vue'),
      meta: { area: 'runs' },
    },
    {
      path: '/p/:project(\\d+)/rehearsal',
      name: 'rehearsal',
      component: () => import('./rehearsal/RehearsalPage.vue'),
      meta: { area: 'plans' },
    },
    {
      path: '/p/:project(\\d+)/import',
      name: 'import',
      component: () => import('./import/ImportPage.vue'),
      meta: { area: 'plans' },
    },
    {
      path: '/p/:project(\\d+)/pipelines',
      name: 'pipelines',
      component: () => import('./pipelines/PipelinesPage.vue'),
      meta: { area: 'pipelines' },
    },
    {
      path: '/p/:project(\\d+)/pipeline-file',
      name: 'pipeline-file',
      component: () => import('./pipelines/PipelineFilePage.vue'),
      meta: { area: 'pipelines' },
    },
    {
      path: '/p/:project(\\d+)/schedules',
      name: 'schedules',
      component: () => import('./pipelines/SchedulesPage.vue'),
      meta: { area: 'pipelines' },
    },
    {
      path: '/p/:project(\\d+)/stage',
      name: 'stage',
      component: () => import('./pipelines/StagePage.vue'),
      meta: { area: 'pipelines' },
    },
    {
      path: '/p/:project(\\d+)/integrations',
      name: 'integrations',
      component: () => import('./integrations/IntegrationsPage.vue'),
      meta: { area: 'pipelines' },
    },
    {
      path: '/p/:project(\\d+)/targets',
      name: 'targets',
      component: () => import('./targets/TargetsPage.vue'),
      meta: { area: 'targets' },
    },
    {
      path: '/p/:project(\\d+)/capacity/:search',
      name: 'capacity',
      component: () => import('./capacity/CapacityPage.vue'),
      meta: { area: 'runs' },
    },
    {
      path: '/p/:project(\\d+)/generators',
      name: 'generators',
      component: () => import('./generators/GeneratorsPage.vue'),
      meta: { area: 'generators' },
    },
    { path: '/shared/:token', name: 'shared', component: () => import('./run/SharedRunPage.vue') },
    { path: '/account', name: 'account', component: () => import('./people/AccountPage.vue') },
    { path: '/people', name: 'people', component: () => import('./people/PeoplePage.vue') },
    { path: '/access', name: 'access', component: () => import('./people/AccessPage.vue') },
    { path: '/audit-log', name: 'audit-log', component: () => import('./people/AuditLogPage.vue') },
    { path: '/:rest(.*)*', name: 'nowhere', component: () => import('./frame/NotFoundPage.vue') },
  ],
})

// A link that names a branch shows that branch; the choice stays until another is made.
router.beforeEach((to) => {
  const branches = useBranchLookedAt()
  const { branch } = to.query
  if (typeof to.params['project'] === 'string' && typeof branch === 'string' && branch !== '')
    branches.look(Number(to.params['project']), branch)
})
