<script setup lang="ts">
// The response of this step in the last rehearsal: a click on a value keeps it, or checks that it is so.
import { ElButton, ElOption, ElSelect } from 'element-plus'
import { nodeAt, parseJson, type Json, type Path } from '@jolt-gate/core'
import { computed, inject, ref, watch } from 'vue'
import { PLAN_FORM } from './use-form.js'

const props = defineProps<{
  step: string
  path: Path
  /** Whether it stands where the response itself is shown. */
  isBare?: boolean
}>()
const form = inject(PLAN_FORM)
const chosen = ref<{ path: string; key: string; text: string; json: string }>()

const rehearsed = computed(() => form?.rehearsed.value.find(({ step }) => step === props.step))
const MOST = 200
const leaves = computed(() => {
  const json = parseJson(rehearsed.value?.response?.body ?? '')
  const found: { path: string; key: string; depth: number; text: string; json: string }[] = []
  const walk = (value: Json, path: string, key: string, depth: number): void => {
    if (found.length >= MOST || depth > 12) return
    if (typeof value === 'object' && value !== null) {
      if (key !== '') found.push({ path, key, depth, text: '', json: '' })
      const entries: [string, Json][] = Array.isArray(value)
        ? value.slice(0, 5).map((item, index) => [`[${String(index)}]`, item])
        : Object.entries(value)
      for (const [name, child] of entries)
        walk(
          child,
          path + (Array.isArray(value) ? name : /^[A-Za-z_]\w*$/.test(name) ? `.${name}` : `[${quoted(name)}]`),
          name,
          depth + 1,
        )
    } else found.push({ path, key, depth, text: String(value), json: JSON.stringify(value) })
  }
  if (json !== undefined) walk(json, '$', '', 0)
  return found
})
/** A name as RFC 9535 writes it in single quotes. */
function quoted(name: string): string {
  const inner = JSON.stringify(name).slice(1, -1).replaceAll('\\"', '"')
  return `'${inner.replaceAll("'", String.raw`\'`)}'`
}
/** Names that may be kept are made of letters, digits and _. */
function nameFor(key: string): string {
  const word = key.replaceAll(/\W+/g, '') || 'value'
  const kept = nodeAt(form?.tree.value ?? undefined, [...props.path, 'keep'])
  const taken = kept?.kind === 'map' ? kept.entries.map((entry) => entry.key) : []
  let name = /^\d/.test(word) || ['secret', 'run', 'user', 'journey', 'now'].includes(word) ? `value_${word}` : word
  for (let number = 2; taken.includes(name); number++) name = `${word}${String(number)}`
  return name
}
function keep(): void {
  if (chosen.value === undefined) return
  form?.edit({
    kind: 'set',
    path: [...props.path, 'keep', nameFor(chosen.value.key)],
    value: `json ${chosen.value.path}`,
  })
}
/** Tests that a value of this kind can be put to. */
const tests = computed(() => {
  const json = chosen.value?.json ?? ''
  const isNumber = /^-?\d/.test(json)
  return [
    'is',
    'is not',
    ...(isNumber ? ['at least', 'at most'] : []),
    ...(json.startsWith('"') ? ['contains'] : []),
    'exists',
  ]
})
const test = ref('is')
watch(tests, (now) => {
  if (!now.includes(test.value)) test.value = 'is'
})
function check(): void {
  if (chosen.value === undefined) return
  const checks = nodeAt(form?.tree.value ?? undefined, [...props.path, 'check'])
  const index = checks?.kind === 'list' ? checks.items.length : 0
  const { path, json } = chosen.value
  const value = `json ${path} ${test.value}${test.value === 'exists' ? '' : ` ${json}`}`
  form?.edit({ kind: 'insert', list: [...props.path, 'check'], index, value })
}
</script>

<template>
  <div v-if="rehearsed?.response" class="picker" :class="{ bare: isBare }">
    <p v-if="isBare && !chosen" class="soft">Click a value to keep it or to check it.</p>
    <h3 v-if="!isBare">
      Response in the last rehearsal <span class="soft">status {{ rehearsed.response.status }}</span>
    </h3>
    <p v-if="leaves.length === 0" class="soft">not JSON: keep values by match, xml or header</p>
    <div v-if="chosen" class="acts">
      <code>{{ chosen.path }}</code>
      <ElButton link @click="keep()">Keep it</ElButton>
      <span class="check">
        Check that it
        <ElSelect v-model="test" class="test" size="small" aria-label="Test">
          <ElOption v-for="one in tests" :key="one" :value="one" />
        </ElSelect>
        <code v-if="test !== 'exists'">{{ chosen.json.slice(0, 30) }}</code>
        <ElButton size="small" @click="check()">Add check</ElButton>
      </span>
    </div>
    <div class="tree">
      <template v-for="leaf in leaves" :key="leaf.path">
        <ElButton
          v-if="leaf.json"
          text
          class="leaf"
          :class="{ here: chosen?.path === leaf.path }"
          :style="{ paddingLeft: `${String(leaf.depth * 14)}px` }"
          @click="chosen = leaf"
        >
          <span class="soft">{{ leaf.key }}</span> {{ leaf.text.slice(0, 90) }}
        </ElButton>
        <span v-else class="leaf soft" :style="{ paddingLeft: `${String(leaf.depth * 14)}px` }">{{ leaf.key }}</span>
      </template>
    </div>
  </div>
</template>

<style scoped>
.picker {
  margin-top: 14px;
  padding-top: 10px;
  border-top: 1px solid var(--rule);
}
h3 {
  font-size: 13px;
}
.bare {
  margin-top: 4px;
  padding-top: 0;
  border-top: 0;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
  padding: 6px 0;
}
.check {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 8px;
  align-items: center;
}
.test {
  width: 96px;
}
.tree {
  padding-top: 6px;
}
.leaf {
  display: block;
  width: 100%;
  height: auto;
  margin: 0;
  padding: 2px 0;
  border: 0;
  background: none;
  color: var(--ink);
  font: 12px/1.5 var(--mono);
  text-align: left;
  white-space: normal;
}
.leaf :deep(> span:only-child) {
  display: flex;
  gap: 10px;
  line-height: 1.45;
  overflow-wrap: anywhere;
}
.leaf :deep(.soft) {
  flex: none;
}
button.leaf {
  cursor: pointer;
}
button.leaf:hover,
.here {
  background: var(--lake-light) !important;
}
</style>
