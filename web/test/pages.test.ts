// What pages work out for themselves, apart from drawing it.
import { describe, expect, it } from 'vitest'
import { ref } from 'vue'
import { lanesText, readLanes, readSentence, treeOf } from '@jolt-gate/core'
import { wordsOfGate } from '../src/plan/gate-words.js'
import { namedAt } from '../src/plan/named-at.js'
import { suggestedLimit } from '../src/plan/use-gates.js'
import { partOf } from '../src/plan/form/use-form.js'
import { prettyBody } from '../src/rehearsal/pretty-body.js'
import { useLanes } from '../src/run/use-lanes.js'
import { defaultLanes, lanesOf } from '../src/run/lane-charts.js'
import type { RunPicture } from '../src/run/run.worker.js'
import { clock, grouped, lengthOf, rate } from '../src/text/figures.js'

/** A gate as the plan's reader makes it, as far as its words go. */
function gateOf(rule: string) {
  const parsed = readSentence('Gate', rule)
  if (!parsed.ok) throw new Error(parsed.fault.message)
  return { written: rule, spans: parsed.value.spans }
}

describe('a gate in words', () => {
  it.each([
    ['p95 response time of "search sailings" during peak under 300 ms', 'p95 response time', '300 ms'],
    ['apdex at 300 ms of "a" at least 0.9', 'apdex at 300 ms', '0.9'],
    ['max metric "queue for a place" at most 40', 'max metric "queue for a place"', '40'],
    ['p95 response time at most 110 % of baseline or 50 ms', 'p95 response time', '110 % of baseline or 50 ms'],
    ['failed journeys in journey "over at most 3" at most 1 %', 'failed journeys', '1 %'],
  ])('%s is cut where it can be picked', (rule, measure, limit) => {
    const words = wordsOfGate(gateOf(rule))

    expect(words.map(({ text }) => text).join('')).toBe(rule)
    expect(words.find(({ kind }) => kind === 'measure')?.text).toBe(measure)
    expect(words.find(({ kind }) => kind === 'limit')?.text).toBe(limit)
  })

  it.each([
    [
      'p95 response time of "a", "b" in journey "x" during peak, "late tide" under 1 s',
      ['name', 'name', 'journey', 'phase', 'phase', 'comparison'],
    ],
    ['throughput of each step at least 2/s', ['name', 'comparison']],
  ])('%s has its names told apart', (rule, kinds) => {
    const words = wordsOfGate(gateOf(rule))

    expect(
      words.flatMap(({ kind }) => (kind === 'plain' || kind === 'measure' || kind === 'limit' ? [] : [kind])),
    ).toEqual(kinds)
  })
})

describe('figures', () => {
  it('are written as people read them', () => {
    expect([clock(0), clock(75), clock(3600)]).toEqual(['0:00', '1:15', '60:00'])
    expect(lengthOf(60)).toBe('1 min')
    expect(grouped(3020).replace(/\s/g, ' ')).toBe('3 020')
    expect([rate(8), rate(0.25)]).toEqual(['8', '0.3'])
  })
})

describe('lanes', () => {
  const view: RunPicture = {
    places: [],
    networks: [],
    seconds: 2,
    started: [1, 2],
    users: [1, 1],
    requests: [1, 2],
    failed: [1, 2],
    median: [10, null],
    p95: [20, null],
    p99: [30, null],
    failures: [{ kind: 'status', total: 3, counts: [1, 2] }],
    startLag: [0.1, 0.2],
    stall: [0, 1],
    error: [1, 1],
    steal: [0, 0],
    busy: [0.1, 0.2],
    metrics: [{ name: 'queue', unit: '', ceiling: 40, values: [3, null] }],
    gates: [],
    limitLines: [],
    steps: [],
    groups: [],
    journeys: [],
    phases: [],
    findings: [],
    impact: undefined,
    times: undefined,
    own: { 'step~search~p95': [40, null], 'step~search~failed': [0, 2] },
    range: null,
  }
  const names = (over: Partial<RunPicture> = {}) => lanesText(defaultLanes({ ...view, ...over })).split(',')
  const drawn = lanesOf(defaultLanes(view))

  it('have one for readings only where the target tells some, and the generator last', () => {
    const limitLine = {
      lane: 'throughput' as const,
      label: '',
      limit: 1,
      isUpper: false,
      isBreached: false,
      spans: [],
      values: [],
    }

    expect(names({ metrics: [] })).toEqual(['load', 'time', 'failures', 'generator'])
    expect(names()).toEqual(['load', 'time', 'failures', 'metrics', 'generator'])
    expect(names({ limitLines: [limitLine] })).toContain('throughput')
  })

  it('say what stands under the cursor, or of the whole run', () => {
    const said = (lane: (typeof drawn)[number], second: number | null) =>
      lane.readouts(view, [1, 2], second).map(({ label, value }) => `${label} ${value}`)

    expect(drawn.map((lane) => [lane.over, ...said(lane, null)])).toEqual([
      ['peak', 'due 2/s', 'started 2/s', 'users 1'],
      ['peak', 'median 10.0 ms', 'p95 20.0 ms', 'p99 30.0 ms'],
      ['total', 'status 3'],
      ['peak', 'queue 3'],
      ['peak', 'start lag 0.20 ms', 'busy 20.0 %'],
    ])
    expect(drawn.map((lane) => said(lane, 1))).toEqual([
      ['due 2/s', 'started 2/s', 'users 1'],
      ['median –', 'p95 –', 'p99 –'],
      ['status 2'],
      ['queue –'],
      ['start lag 0.20 ms', 'busy 20.0 %'],
    ])
    for (const lane of drawn) expect(lane.highest(view, [1, 2])).toBeGreaterThan(0)
    expect(drawn.map((lane) => lane.tick(215.507512).length < 9)).not.toContain(false)
  })

  it("of one's own say and draw what was chosen, the second unit on a scale of its own", () => {
    const [lane] = lanesOf(readLanes('step~search~p95+step~search~failed!'))

    expect(lane).toMatchObject({ title: 'search', note: 'ms, /s', isTall: true })
    const said = (second: number | null) =>
      lane?.readouts(view, [], second).map(({ label, value, look }) => `${label} ${value} ${look}`)
    expect(said(null)).toEqual(['p95 40.0 ms line', 'failed 2/s dashed'])
    expect(said(1)).toEqual(['p95 – line', 'failed 2/s dashed'])
    expect([lane?.highest(view, []), lane?.highestRight?.(view)]).toEqual([40, 2])
  })

  it('are added, moved, made taller, removed, and stand in the address', () => {
    const written = ref('load,time')
    const state = useLanes(written, ref(view), ref(undefined))
    state.add([{ of: 'metric', name: 'queue' }])
    state.move(2, -1)
    state.turn(0)
    expect(written.value).toBe('load!,metric~queue,time')
    state.remove(1)
    expect(written.value).toBe('load!,time')
    expect(state.lanes.value).toHaveLength(2)
  })

  it('are those of the plan where the address names none', () => {
    const planView = { id: 1, name: 'Pool', lanes: 'metrics,time', planFile: 'p', by: 'Ida Quay' }
    const { lanes } = useLanes(ref(''), ref(view), ref(planView))

    expect(lanesText(lanes.value)).toBe('metrics,time')
  })

  // A chart of an hour is drawn anew for each other object, and each draws another picture from the worker.
  it('stay the very same objects while the run has the same, by default as when asked for', () => {
    for (const written of ['', 'load,metric~queue']) {
      const changing = ref(view)
      const { lanes, series } = useLanes(ref(written), changing, ref(undefined))
      const before = [lanes.value, series.value]
      changing.value = { ...view }

      expect(lanes.value).toBe(before[0])
      expect(series.value).toBe(before[1])
    }
  })
})

describe('what stands on a line', () => {
  const tree = treeOf(`name: x
journeys:
  look:
    steps:
      - group: page
        steps:
          - send: GET /a
            name: search
            keep:
              id: json $.id
load:
  - { phase: peak, rate: 1/s, for: 1s }
`)
  it.each([
    [3, 'journey', 'look'],
    [5, 'group', 'page'],
    [7, 'step', 'search'],
    [8, 'step', 'search'],
    [10, 'value', 'id'],
    [12, 'phase', 'peak'],
    [1, undefined, undefined],
  ])('line %i: %s %s', (line, kind, name) => {
    const named = namedAt(tree, line)
    expect([named?.kind, named?.name]).toEqual([kind, name])
  })

  it('belongs to a part that has a form of its own', () => {
    expect(partOf(['journeys', 'look', 'steps', 0, 'steps', 0, 'keep', 'id'])).toEqual([
      'journeys',
      'look',
      'steps',
      0,
      'steps',
      0,
    ])
    expect(partOf(['journeys', 'look', 'share'])).toEqual(['journeys', 'look'])
    expect(partOf(['load', 1, 'rate'])).toEqual(['load', 1])
    expect(partOf(['seed'])).toEqual([])
  })
})

describe('suggestions and bodies', () => {
  it('are a little wider than what was seen, in the same words', () => {
    expect(['182 ms', '1.05 s', '0.4 %', '12.3/s', 'nothing'].map(suggestedLimit)).toEqual([
      '218 ms',
      '1.3 s',
      '0.48 %',
      '15/s',
      undefined,
    ])
  })

  it('are set out by their type', () => {
    expect(prettyBody('{"a":[1]}', 'application/json')).toBe('{\n  "a": [\n    1\n  ]\n}')
    expect(prettyBody('<a><b>1</b><c/></a>', 'text/xml')).toBe('<a>\n  <b>1</b>\n  <c/>\n</a>')
    expect(prettyBody('{broken', 'application/json')).toBe('{broken')
  })
})
