<script setup lang="ts">
// The verdict, and each gate with what was observed against its limit.
import {
  allowedWords,
  borderlineWords,
  errorWords,
  formatMs,
  formatValue,
  gateCountWords,
  verdictWords,
  type GateResult,
  type Verdict,
} from '@jolt-gate/core'
import { computed } from 'vue'
import VerdictSign from '../verdict/VerdictSign.vue'
import { clock } from '../text/figures.js'
import { runWords } from '../text/run-words.js'
import type { RunPart, RunState } from '@jolt-gate/core/api'

const props = defineProps<{
  verdict: Verdict | null
  state: RunState
  part: RunPart | null
  reasons: string[]
  /** What is to be known beside the verdict. */
  notes: readonly string[]
  gates: GateResult[]
  elapsed: number
  seconds: number
  trust: string[] | null
  /** Why gates against a baseline have none. */
  noBaseline: string | null
  /** By how much the generator may have changed times, at most, in ms. */
  errorMs: number | null
}>()

const breached = computed(() => props.gates.filter((gate) => gate.status === 'breached'))
const firstBreach = computed(
  () =>
    breached.value
      .flatMap((gate) => (gate.firstBreachAtMs === null ? [] : [gate.firstBreachAtMs]))
      .sort((a, b) => a - b)[0],
)
const title = computed(() => (props.verdict === null ? runWords(props) : verdictWords(props.verdict)))
const subtitle = computed(() => {
  if (props.gates.length === 0) return props.verdict === null ? '' : 'no gates'
  if (props.verdict === null)
    return `${clock(Math.min(props.elapsed, props.seconds))} of ${clock(props.seconds)} · ${String(breached.value.length)} of ${String(props.gates.length)} breached so far`
  return gateCountWords(props.gates)
})
const breachedFirst = computed(() =>
  props.verdict === null || firstBreach.value === undefined ? '' : `first breach at ${clock(firstBreach.value / 1000)}`,
)
/** How it ended, where the reasons do not say it. */
const ended = computed(() => {
  if (props.verdict === null || props.verdict === 'stopped') return ''
  const stop = props.gates.find(({ stoppedAtMs }) => stoppedAtMs !== null)
  if (stop !== undefined) return `ended by a stop rule at ${clock((stop.stoppedAtMs ?? 0) / 1000)}: ${stop.rule}`
  return props.elapsed >= Math.floor(props.seconds) && props.seconds > 0 ? 'ran to the end' : ''
})
/** Reasons that the gates below do not tell by themselves. */
const others = computed(() => props.reasons.filter((reason) => !reason.startsWith('breached: ')))

/** Bar and limit on one scale: the limit stands at 70 %, unless the observed value needs more room. */
function bar(gate: GateResult): { width: number; limit: number } {
  const observed = gate.observed ?? 0
  const limit = gate.limit ?? 0
  const full = Math.max(limit / 0.7, observed * 1.08, 1e-9)
  return { width: (100 * observed) / full, limit: (100 * limit) / full }
}
const signOf = ({ status }: GateResult) =>
  status === 'held' || status === 'breached' || status === 'undecided' ? status : 'unmeasured'
/** Why a gate is undecided, where that is not among the reasons above. */
const ownReason = (gate: GateResult) =>
  borderlineWords(gate) === gate.reason ||
  props.reasons.some((reason) => reason.startsWith(`${gate.status}: ${gate.rule} `))
    ? undefined
    : gate.reason
</script>

<template>
  <aside class="column">
    <div class="verdict" :class="verdict ?? 'going'" aria-live="polite">
      <VerdictSign size="large" :verdict="verdict ?? 'going'" />
      <div>
        <div class="title">{{ title }}</div>
        <div class="soft">{{ subtitle }}</div>
        <div v-if="breachedFirst" class="soft">{{ breachedFirst }}</div>
        <div v-if="ended" class="soft">{{ ended }}</div>
      </div>
    </div>
    <ul v-if="others.length > 0" class="reasons">
      <li v-for="reason in others" :key="reason">{{ reason }}</li>
    </ul>
    <div v-for="gate in gates" :key="gate.rule" class="gate" :class="gate.status.replace(' ', '-')">
      <div class="rule">{{ gate.rule }}</div>
      <div class="reading">
        <VerdictSign :verdict="signOf(gate)" />
        <span class="bar"
          ><span class="fill" :style="{ width: `${String(bar(gate).width)}%` }"></span
          ><span class="limit" :style="{ left: `${String(bar(gate).limit)}%` }"></span
        ></span>
        <b class="observed">{{
          gate.observed === null
            ? verdict === null
              ? 'too few samples yet'
              : gate.status
            : formatValue(gate.observed, gate.unit)
        }}</b>
      </div>
      <div v-if="allowedWords(gate)" class="borderline soft">{{ allowedWords(gate) }}</div>
      <div v-if="errorWords(gate)" class="borderline soft">{{ errorWords(gate) }}</div>
      <div v-if="gate.status === 'no baseline' && noBaseline" class="borderline soft">
        no baseline: {{ noBaseline }}
      </div>
      <div v-if="gate.isDefault" class="borderline soft">
        default: the plan has no gate of this kind{{
          gate.leavesOutRequests ? '; journeys that requests alone failed are left out' : ''
        }}
      </div>
      <div v-if="ownReason(gate)" class="borderline soft">{{ gate.status }}: {{ ownReason(gate) }}</div>
      <div v-if="gate.borderline" class="borderline soft">borderline: {{ borderlineWords(gate) }}</div>
    </div>
    <ul v-if="notes.length > 0" class="reasons soft">
      <li v-for="note in notes" :key="note">note: {{ note }}</li>
    </ul>
    <slot />
    <div v-if="trust !== null" class="trust">
      <h2>Generator</h2>
      <p v-if="trust.length === 0" class="soft">
        kept to its schedule{{ errorMs === null ? '' : `; times are within ±${formatMs(errorMs)}` }}
      </p>
      <p v-else-if="verdict === 'void'" class="soft">the run is void for these reasons</p>
      <template v-else>
        <p class="soft">The generator did not make the whole load; the verdict did not depend on it.</p>
        <ul class="reasons">
          <li v-for="reason in trust" :key="reason">{{ reason }}</li>
        </ul>
      </template>
    </div>
  </aside>
</template>

<style scoped>
.column {
  padding: 16px;
  overflow: auto;
  border-right: 1px solid var(--rule);
  background: var(--sheet);
}
.verdict {
  display: flex;
  gap: 14px;
  align-items: center;
  padding-bottom: 14px;
  border-bottom: 2px solid var(--ink);
}
.title {
  font-size: 27px;
  font-weight: 700;
  line-height: 1.1;
}
.open .title {
  color: var(--lake);
}
.shut .title {
  color: var(--brick);
}
.going .title {
  color: var(--ochre-text);
}
.reasons {
  margin: 0;
  padding: 10px 0 10px 18px;
  border-bottom: 1px solid var(--rule);
  overflow-wrap: anywhere;
}
.gate {
  padding: 11px 0;
  border-bottom: 1px solid var(--rule);
}
.reading {
  display: flex;
  gap: 8px;
  align-items: center;
  padding-top: 7px;
}
.bar {
  position: relative;
  flex: 1;
  height: 8px;
  background: var(--band);
}
.fill {
  position: absolute;
  inset: 0 auto 0 0;
  background: var(--lake);
}
.breached .fill {
  background: var(--brick);
}
.limit {
  position: absolute;
  top: -4px;
  width: 2px;
  height: 16px;
  background: var(--ink);
}
.observed {
  min-width: 72px;
  color: var(--lake);
  text-align: right;
}
.breached .observed {
  color: var(--brick);
}
.undecided .fill,
.not-judged .fill {
  background: var(--faint);
}
.undecided .observed,
.not-judged .observed,
.unmeasured .observed {
  color: var(--soft);
}
.borderline {
  padding-top: 4px;
  font-size: 12px;
}
.trust {
  padding-top: 14px;
}
</style>
