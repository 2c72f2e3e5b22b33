<script setup lang="ts">
// The journeys of a plan and their steps, in order.
import { ElButton } from 'element-plus'
import { outlineOf, type OutlineLine, type Plan, type Step } from '@jolt-gate/core'
import { computed } from 'vue'

const props = defineProps<{ plan: Plan; line: number; section: string; mayWrite: boolean }>()
const emit = defineEmits<{
  pick: [line: number]
  elsewhere: [at: { file: string; line: number }]
  journey: []
  step: [section: 'setup' | 'teardown']
}>()
function pick({ file, line, isElsewhere }: Row): void {
  if (isElsewhere) emit('elsewhere', { file, line })
  else emit('pick', line)
}

interface Row {
  key: string
  kind: 'part' | OutlineLine['sort']
  label: string
  method: string
  note: string
  depth: number
  file: string
  line: number
  isElsewhere: boolean
}

const weights = computed(() => props.plan.journeys.reduce((sum, journey) => sum + journey.weight, 0))
const rows = computed(() => {
  const { plan } = props
  const parts = [
    { name: 'Plan, values and data', note: '', steps: [], line: 1 },
    ...(plan.setup.length > 0
      ? [{ name: 'Setup', note: '', steps: plan.setup, line: plan.setup[0]?.at.line ?? 1 }]
      : []),
    ...plan.journeys.map((journey) => ({
      name: journey.name,
      note: journey.weight === 0 ? 'own load' : `weight ${String(journey.weight)} of ${String(weights.value)}`,
      steps: journey.steps,
      line: journey.at.line,
    })),
    ...(plan.teardown.length > 0
      ? [{ name: 'Teardown', note: '', steps: plan.teardown, line: plan.teardown[0]?.at.line ?? 1 }]
      : []),
  ]
  return parts.flatMap((part, index): Row[] => [
    {
      key: `part ${String(index)}`,
      kind: 'part',
      label: part.name,
      method: '',
      note: part.note,
      depth: 0,
      file: plan.file,
      line: part.line,
      isElsewhere: false,
    },
    ...rowsOf(part.steps, 1, String(index)),
  ])
})
/** Phases and gates are selected elsewhere. */
const here = computed(() =>
  ['load', 'gates'].includes(props.section)
    ? undefined
    : ['journeys', 'setup', 'teardown'].includes(props.section)
      ? rows.value.filter((row) => !row.isElsewhere && row.line <= props.line).at(-1)?.key
      : rows.value[0]?.key,
)

function rowsOf(steps: readonly Step[], depth: number, prefix: string): Row[] {
  return steps.flatMap((step, index) => linesOf(outlineOf(step), depth, `${prefix}.${String(index)}`))
}

function linesOf(lines: readonly OutlineLine[], depth: number, prefix: string): Row[] {
  return lines.flatMap(({ sort, label, method, at, steps, lines: inner }, index): Row[] => {
    const key = `${prefix}.${String(index)}`
    const isElsewhere = at.file !== props.plan.file
    const note = isElsewhere ? 'shared' : ''
    return [
      { key, kind: sort, label, method, depth, file: at.file, line: at.line, isElsewhere, note },
      ...linesOf(inner, depth + 1, `${key}.act`),
      ...rowsOf(steps, depth + 1, key),
    ]
  })
}
</script>

<template>
  <nav class="outline" aria-label="Journeys and steps">
    <ElButton
      v-for="row in rows"
      :key="row.key"
      text
      class="row"
      :class="[row.kind, { here: row.key === here }]"
      :style="{ paddingLeft: `${String(row.depth * 14 + (row.depth > 0 ? 14 : 14))}px` }"
      :title="row.isElsewhere ? `from ${row.file}` : undefined"
      @click="pick(row)"
    >
      <span v-if="row.kind !== 'part'" class="method">{{ row.method }}</span>
      <span class="label">{{ row.label }}</span>
      <span class="note">{{ row.note }}</span>
    </ElButton>
    <div v-if="mayWrite" class="more">
      <ElButton link @click="$emit('journey')">+ Journey</ElButton>
      <ElButton link @click="$emit('step', 'setup')">+ Setup</ElButton>
      <ElButton link @click="$emit('step', 'teardown')">+ Teardown</ElButton>
    </div>
  </nav>
</template>

<style scoped>
.outline {
  padding: 8px 0;
  overflow: auto;
}
.row {
  display: block;
  width: 100%;
  height: auto;
  margin: 0;
  padding: 3.5px 14px;
  border-radius: 0;
  color: var(--ink);
  font: inherit;
}
.row :deep(> span) {
  display: flex;
  gap: 4px;
  align-items: baseline;
  line-height: 1.4;
  text-align: left;
}
.more {
  display: flex;
  padding: 14px 14px 8px;
}
.part {
  padding-top: 12px;
  font-weight: 650;
}
.part:first-child {
  padding-top: 4px;
}
.method {
  flex: none;
  width: 50px;
  color: var(--lake);
  font: 600 11.5px var(--mono);
}
.label {
  flex: 1;
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.note {
  color: var(--soft);
  font-size: 12px;
  font-weight: 400;
}
.wait {
  color: var(--soft);
  font-style: italic;
}
.group .label {
  font-weight: 600;
}
.turn .label {
  color: var(--soft);
  font-weight: 600;
}
.here {
  background: var(--lake-light) !important;
  box-shadow: inset 3px 0 var(--lake);
}
</style>
