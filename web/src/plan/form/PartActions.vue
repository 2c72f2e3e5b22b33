<script setup lang="ts">
// What can be done with one part of a list: a step, a phase, a gate.
import { ArrowDown, ArrowUp } from '@element-plus/icons-vue'
import type { Path } from '@jolt-gate/core'
import { ElButton } from 'element-plus'
import { computed, inject } from 'vue'
import { PLAN_FORM } from './use-form.js'

// Vue takes a switch that is not given for one that is off, unless told that it is not there.
const props = withDefaults(
  defineProps<{
    list: Path
    index: number
    count: number
    name: string
    /** Of what can be switched off: whether it is. */
    isOff?: boolean | undefined
    /** Name of a copy, where names must differ. */
    copyName?: { key: string; value: string } | undefined
    /** Whether the form is that of this part, and goes along with it. */
    isWhole?: boolean
  }>(),
  { isOff: undefined, copyName: undefined },
)
const form = inject(PLAN_FORM)
const path = computed<Path>(() => [...props.list, props.index])

function move(by: 1 | -1): void {
  const index = by < 0 ? props.index - 1 : props.index + 2
  form?.edit({ kind: 'move', path: path.value, list: props.list, index })
  if (props.isWhole) form?.selectPath([...props.list, props.index + by])
}
function duplicate(): void {
  form?.edit({ kind: 'duplicate', path: path.value })
  const copy = [...props.list, props.index + 1]
  if (props.copyName !== undefined)
    form?.edit({ kind: 'set', path: [...copy, props.copyName.key], value: props.copyName.value })
  if (props.isWhole) form?.selectPath(copy)
}
function turn(): void {
  const off = [...path.value, 'off']
  form?.edit(props.isOff ? { kind: 'remove', path: off } : { kind: 'set', path: off, value: 'yes' })
}
</script>

<template>
  <span class="acts">
    <ElButton link :icon="ArrowUp" :aria-label="`Move ${name} up`" :disabled="index === 0" @click="move(-1)" />
    <ElButton
      link
      :icon="ArrowDown"
      :aria-label="`Move ${name} down`"
      :disabled="index >= count - 1"
      @click="move(1)"
    />
    <ElButton link @click="duplicate()">Duplicate</ElButton>
    <ElButton v-if="isOff !== undefined" link @click="turn()">{{ isOff ? 'Switch on' : 'Switch off' }}</ElButton>
    <ElButton link type="danger" :aria-label="`Remove ${name}`" @click="form?.edit({ kind: 'remove', path })">
      Remove
    </ElButton>
  </span>
</template>

<style scoped>
.acts {
  display: flex;
  flex: none;
  gap: 2px;
  align-items: center;
  white-space: nowrap;
}
.acts :deep(.el-button + .el-button) {
  margin-left: 8px;
}
</style>
