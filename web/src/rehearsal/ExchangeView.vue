<script setup lang="ts">
// One exchange: request as sent, response as received, checks with what was found, kept values, timing parts.
import { ElButton } from 'element-plus'
import { computed } from 'vue'
import type { RehearsedStep } from '@jolt-gate/core'
import BodyView from './BodyView.vue'

const props = withDefaults(
  defineProps<{
    step: RehearsedStep
    before: RehearsedStep | undefined
    canResume: boolean
    mayEdit?: boolean
    isEditing?: boolean
  }>(),
  { mayEdit: false, isEditing: false },
)
defineEmits<{ again: [how: 'on' | 'only']; edit: [] }>()

const PARTS = [
  ['lag', 'before it was sent'],
  ['dns', 'DNS'],
  ['connect', 'connecting'],
  ['tls', 'TLS'],
  ['firstByte', 'waiting for the first byte'],
  ['receive', 'receiving'],
] as const
/** A generator that is late sends after the request was due: the parts alone would not add up to all. */
const lag = computed(() => {
  const { total, ...told } = props.step.timing
  const rest = total - Object.values(told).reduce<number>((sum, ms) => sum + (ms ?? 0), 0)
  return props.step.request !== null && rest > LEAST_LAG_MS ? rest : null
})
const LEAST_LAG_MS = 0.05
const parts = computed(() =>
  PARTS.flatMap(([key, label]) => {
    const ms = key === 'lag' ? lag.value : props.step.timing[key]
    return ms === null ? [] : [{ key, label, ms }]
  }),
)
const typeOf = (headers: readonly [string, string][] | undefined) =>
  headers?.find(([name]) => name.toLowerCase() === 'content-type')?.[1] ?? ''
const ms = (value: number) => (value < 10 ? value.toFixed(2) : value.toFixed(0))
const beforeOf = (name: string) => props.before?.checks.find((check) => check.name === name)
</script>

<template>
  <section class="exchange">
    <div class="title">
      <h2>{{ step.step }}</h2>
      <span class="acts">
        <ElButton v-if="canResume" link @click="$emit('again', 'only')">Rehearse this step again</ElButton>
        <ElButton v-if="canResume" link @click="$emit('again', 'on')">From here on</ElButton>
        <ElButton v-if="mayEdit" link :aria-pressed="isEditing" @click="$emit('edit')">{{
          isEditing ? 'Close the form' : 'Edit this step'
        }}</ElButton>
      </span>
    </div>
    <p v-if="step.failure" class="failure" role="alert">
      <b>{{ step.failure.kind }}</b> {{ step.failure.detail }}
    </p>
    <div v-if="step.checks.length > 0" class="checks">
      <div v-for="check in step.checks" :key="check.name" class="check" :class="{ broken: !check.held }">
        <span class="sign">{{ check.held ? 'held' : 'failed' }}</span>
        <span>
          <code>{{ check.name }}</code>
          <span v-if="!check.held" class="found"
            >found {{ check.found.length === 0 ? 'nothing' : check.found.join(', ') }}</span
          >
          <span v-if="beforeOf(check.name) && beforeOf(check.name)!.held !== check.held" class="changed">{{
            check.held ? 'failed before' : 'held before'
          }}</span>
        </span>
      </div>
    </div>
    <div v-if="step.kept.length > 0" class="kept">
      <div v-for="value in step.kept" :key="value.name">
        <span class="soft">kept</span> <b>{{ value.name }}</b> <code>{{ value.value.slice(0, 200) }}</code>
      </div>
    </div>
    <div
      v-if="parts.length > 0"
      class="timing"
      role="img"
      :aria-label="`Timing parts, ${ms(step.timing.total)} ms in total`"
    >
      <span
        v-for="part in parts"
        :key="part.key"
        class="part"
        :class="part.key"
        :style="{ flexGrow: 1000 * Math.max(0.02 * step.timing.total, part.ms) }"
      ></span>
    </div>
    <p class="parts">
      <span v-for="part in parts" :key="part.key"
        ><i class="dot" :class="part.key"></i>{{ part.label }} <b>{{ ms(part.ms) }} ms</b></span
      >
      <span
        >total <b>{{ ms(step.timing.total) }} ms</b></span
      >
    </p>
    <div class="sides">
      <div v-if="step.request" class="side">
        <h3>Request <span class="soft">as sent</span></h3>
        <p v-for="(hop, index) in step.hops" :key="index" class="line mono hop">
          {{ hop.method }} {{ hop.url }} <b>{{ hop.status }}</b> redirected
        </p>
        <p class="line mono">{{ step.request.method }} {{ step.request.url }}</p>
        <dl>
          <template v-for="[name, value] in step.request.headers" :key="name">
            <dt>{{ name }}</dt>
            <dd>{{ value }}</dd>
          </template>
        </dl>
        <BodyView v-if="step.request.body" :text="step.request.body" :type="typeOf(step.request.headers)" />
      </div>
      <div v-if="step.response" class="side">
        <h3>
          Response <span class="soft">{{ step.response.size }} bytes</span>
        </h3>
        <p class="line mono" :class="{ bad: step.response.status >= 400 }">{{ step.response.status }}</p>
        <dl>
          <template v-for="([name, value], index) in step.response.headers" :key="index">
            <dt>{{ name }}</dt>
            <dd>{{ value }}</dd>
          </template>
        </dl>
        <slot><BodyView :text="step.response.body" :type="typeOf(step.response.headers)" /></slot>
      </div>
    </div>
  </section>
</template>

<style scoped>
.exchange {
  padding: 12px 18px;
  overflow: auto;
  background: var(--sheet);
}
.title {
  display: flex;
  gap: 16px;
  align-items: baseline;
  padding-bottom: 8px;
}
h2 {
  font-size: 15px;
}
.failure {
  margin-bottom: 8px;
  padding: 8px 12px;
  border-left: 4px solid var(--brick);
  background: var(--brick-light);
}
.check {
  display: grid;
  grid-template-columns: 52px 1fr;
  gap: 8px;
  padding: 3px 0;
}
.sign {
  color: var(--lake);
  font-weight: 600;
}
.broken .sign,
.found {
  color: var(--brick);
}
.found,
.changed {
  padding-left: 12px;
  overflow-wrap: anywhere;
}
.changed {
  color: var(--ochre-text);
}
.kept {
  padding: 6px 0;
}
.timing {
  display: flex;
  gap: 1px;
  height: 10px;
  margin-top: 10px;
}
.parts {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 18px;
  padding: 6px 0 12px;
  color: var(--soft);
}
.parts b {
  color: var(--ink);
  font-weight: 600;
}
.dot {
  display: inline-block;
  width: 9px;
  height: 9px;
  margin-right: 5px;
}
.lag {
  background: var(--rule);
}
.dns {
  background: var(--faint);
}
.connect {
  background: var(--slate);
}
.tls {
  background: var(--ochre);
}
.firstByte {
  background: var(--lake);
}
.receive {
  background: var(--ink);
}
.sides {
  display: grid;
  grid-template-columns: repeat(2, minmax(0, 1fr));
  gap: 20px;
}
.hop {
  color: var(--soft);
}
.line {
  padding: 4px 0;
  font-weight: 600;
  overflow-wrap: anywhere;
}
.bad {
  color: var(--brick);
}
dl {
  display: grid;
  grid-template-columns: 120px minmax(0, 1fr);
  gap: 2px 10px;
  margin: 0 0 8px;
  font: 12px/1.45 var(--mono);
}
dt {
  overflow: hidden;
  color: var(--soft);
  text-overflow: ellipsis;
}
dd {
  margin: 0;
  overflow-wrap: anywhere;
}
</style>
