// Targets: their files, secrets, metrics, permission, and the proof of control.
import { Router } from 'express'
import {
  applyChanges,
  editText,
  fileOfTarget,
  isLoopback,
  nameOfTargetFile,
  NO_LOAD,
  permissionFault,
  parseMetricPage,
  readPlan,
  readTarget,
  type Target,
} from '@jolt-gate/core'
import { ROUTES, type TargetLine } from '@jolt-gate/core/api'
import { GUARDED } from '@jolt-gate/engine'
import { request as httpRequest } from 'undici'
import { ApprovalRow, RunRow } from '../database/models.js'
import { Problem } from '../http/problem.js'
import { serve } from '../http/serve.js'
import { noteOf } from '../people/audit-log.js'
import { projectOf } from '../projects/project-of.js'
import type { WorkingCopy } from '../projects/working-copy.js'
import { fingerprint } from '../projects/working-copy.js'
import { controlOf, refuseForbidden } from './permits.js'
import type { SecretStore } from './secrets.js'

const MOST_METRICS = 4_000_000
// eslint-disable-next-line max-lines-per-function -- one route after another
export function targetRoutes(secrets: SecretStore): Router {
  const routes = Router()

  serve(routes, ROUTES.targets, async ({ params, branch }) => {
    const { project, copy } = await projectOf(params.project, branch)
    const files = (await copy.files()).filter((path) => /^targets\/[^/]+\.target\.yaml$/.test(path))
    const targets = await Promise.all(files.map((file) => lineOf(project.id, copy, file)))
    return { targets, ...(await copy.head()) }
  })

  async function lineOf(projectId: number, copy: WorkingCopy, file: string): Promise<TargetLine> {
    const text = (await copy.read(file)) ?? ''
    const { target, problems } = readTarget(file, text, copy.text)
    const name = nameOfTargetFile(file)
    const sources = target === undefined ? undefined : await secrets.sources(projectId, target)
    return {
      name,
      file,
      text,
      base: fingerprint(text),
      target: target === undefined ? null : withoutKeys(target),
      problems,
      secrets: (target?.secrets ?? []).map((secret) => ({
        name: secret,
        from: sources?.get(secret) ?? 'nowhere',
      })),
      isLoopback: target !== undefined && [target.origin, ...target.also].every(isLoopback),
      fault: target === undefined ? null : (permissionFault(target, NO_LOAD, new Date()) ?? null),
    }
  }

  serve(routes, ROUTES.saveTarget, async ({ person, params, body: { text, base, message }, branch }) => {
    const { project, copy } = await projectOf(params.project, branch)
    const file = fileOf(params.target)
    const { problems } = readTarget(file, text, copy.text)
    const [first] = problems
    if (first !== undefined)
      throw new Problem(422, 'TARGET', `${file}:${String(first.line)}: ${first.message}`, { problems })
    const head = await copy.save({ files: [{ file, text, base }], message, author: person })
    await noteOf(person, 'changed a target', file, project.id)
    return { file, base: fingerprint(text), ...head }
  })

  serve(routes, ROUTES.renameTarget, async ({ person: administrator, params, body, branch }) => {
    const { project, copy } = await projectOf(params.project, branch)
    const { target: from } = params
    const [file, to] = [fileOf(from), fileOf(body.to)]
    if ((await copy.read(to)) !== undefined) throw new Problem(409, 'KNOWN', `there is a target ${body.to} already`)
    // First of all, since it may be refused; if the commit fails, the old name still has its own.
    await secrets.copyTo(project.id, from, body.to)
    const others = await plansNaming(copy, from, body.to)
    const head = await copy.rename(file, to, { message: `Rename ${file} to ${to}`, author: administrator, others })
    if (copy.isOwn) {
      await secrets.forgetAll(project.id, from)
      await RunRow.update({ targetName: body.to }, { where: { projectId: project.id, targetName: from } })
    }
    await noteOf(administrator, 'renamed a target', `${from} to ${body.to}`, project.id)
    return head
  })

  serve(routes, ROUTES.storeSecret, async ({ person: administrator, params, body: { value }, branch }) => {
    const { project, copy } = await projectOf(params.project, branch)
    const target = await targetOf(copy, params.target)
    const { secret } = params
    if (!target.secrets.includes(secret)) throw new Problem(404, 'NO_SECRET', `the target has no secret "${secret}"`)
    await secrets.write(project.id, target, secret, value)
    await noteOf(administrator, 'stored a secret', `${target.name}: ${secret}`, project.id)
    return undefined
  })

  serve(routes, ROUTES.confirmSecrets, async ({ person: administrator, params, branch }) => {
    const { project, copy } = await projectOf(params.project, branch)
    const target = await targetOf(copy, params.target)
    await secrets.confirm(project.id, target)
    await noteOf(administrator, 'confirmed where secrets go', `${target.name}: ${target.origin}`, project.id)
    return undefined
  })

  serve(routes, ROUTES.deleteSecret, async ({ person: administrator, params: { project: id, target, secret } }) => {
    const { project } = await projectOf(id)
    if (!(await secrets.forget(project.id, target, secret)))
      throw new Problem(404, 'NO_SECRET', 'no such secret in the store')
    await noteOf(administrator, 'deleted a secret', `${target}: ${secret}`, project.id)
    return undefined
  })

  // Only the target's own origins are asked: a page could not make this server fetch anything else.
  serve(routes, ROUTES.metric, async ({ params, body: { url }, branch }) => {
    const { project, copy } = await projectOf(params.project, branch)
    const target = await targetOf(copy, params.target)
    await refuseForbidden(project.id, target, NO_LOAD)
    return { families: await familiesAt(target, url) }
  })

  serve(routes, ROUTES.control, async ({ params, branch }) => {
    const { project, copy } = await projectOf(params.project, branch)
    return { control: await controlOf(project.id, await targetOf(copy, params.target)) }
  })

  serve(routes, ROUTES.approve, async ({ person: administrator, params, body: { words }, branch }) => {
    const { project, copy } = await projectOf(params.project, branch)
    const target = await targetOf(copy, params.target)
    const missing = (await controlOf(project.id, target)).filter(({ isProven }) => !isProven)
    if (missing.length === 0)
      throw new Problem(409, 'PROVEN', 'nothing to approve: control is proven, or there is no permission yet')
    for (const { token, origin } of missing) {
      await ApprovalRow.create({ projectId: project.id, token, words, by: administrator.name, at: new Date() })
      await noteOf(administrator, 'approved a target', `${origin}: ${words}`, project.id)
    }
    return { control: await controlOf(project.id, target) }
  })

  return routes
}

/** The plans whose `target:` names a target, with the new name in its place. */
async function plansNaming(copy: WorkingCopy, from: string, to: string): Promise<{ file: string; text: string }[]> {
  const plans = (await copy.files()).filter((path) => path.endsWith('.gate.yaml'))
  const renamed = await Promise.all(
    plans.map(async (file) => {
      const text = (await copy.read(file)) ?? ''
      if (readPlan(file, text, { files: copy.text }).plan.target !== from) return []
      return [{ file, text: applyChanges(text, editText(file, text, { kind: 'set', path: ['target'], value: to })) }]
    }),
  )
  return renamed.flat()
}

/** What pages may see of a target: its key and certificates stay here. */
function withoutKeys({ tls, ...rest }: Target): Omit<Target, 'tls'> & { tls: { verify: boolean } | undefined } {
  return { ...rest, tls: tls === undefined ? undefined : { verify: tls.verify } }
}

function fileOf(name: string): string {
  if (!/^[\w.-]{1,100}$/.test(name) || name.startsWith('.'))
    throw new Problem(400, 'BAD_NAME', 'the name of a target may have letters, digits, dots and dashes')
  return fileOfTarget(name)
}

async function targetOf(copy: WorkingCopy, name: string): Promise<Target> {
  const file = fileOf(name)
  const text = await copy.read(file)
  if (text === undefined) throw new Problem(404, 'NO_TARGET', `there is no target ${name} in this project`)
  const { target, problems } = readTarget(file, text, copy.text)
  if (target === undefined) throw new Problem(422, 'TARGET', `${file}: ${problems[0]?.message ?? 'it cannot be read'}`)
  return target
}

async function familiesAt(target: Target, address: string) {
  const url = URL.canParse(address, target.origin) ? new URL(address, target.origin) : undefined
  if (url === undefined || ![target.origin, ...target.also].includes(url.origin))
    throw new Problem(400, 'NOT_PERMITTED', 'metrics must be on an origin of the target')
  const page = await textOf(url)
  const reading = parseMetricPage(page)
  if (!reading.ok) throw new Problem(502, 'NO_METRICS', `${url.href}, line ${String(reading.line)}: ${reading.message}`)
  const { types, samples } = reading.page
  const families = [...new Set(samples.map(({ name }) => familyOf(name, types)))]
  return families.slice(0, 500).map((name) => ({
    name,
    type: types.get(name) ?? 'unknown',
    samples: samples.filter((sample) => familyOf(sample.name, types) === name).slice(0, 5),
  }))
}

/** The family that a sample belongs to: its own name, or that without the suffix of a counter or histogram. */
function familyOf(sample: string, types: ReadonlyMap<string, string>): string {
  const short = sample.replace(/_(?:total|sum|count|bucket|created)$/, '')
  return types.has(sample) || !types.has(short) ? sample : short
}

async function textOf(url: URL): Promise<string> {
  try {
    const { statusCode, body } = await httpRequest(url, {
      dispatcher: GUARDED,
      signal: AbortSignal.timeout(5000),
      headers: { accept: 'application/openmetrics-text, text/plain' },
    })
    let text = ''
    for await (const chunk of body) {
      text += String(chunk)
      if (text.length > MOST_METRICS) throw new Error('it is larger than 4 MB')
    }
    if (statusCode !== 200) throw new Error(`it answers ${String(statusCode)}`)
    return text
  } catch {
    // What is behind an address is not told to the one who may only write targets: open or not, slow or not.
    throw new Problem(502, 'NO_ANSWER', `${url.href} gives no page of metrics: see that it answers 200 within 5 s`)
  }
}
