<script setup lang="ts">
// What can be done with one lane.
import { MoreFilled } from '@element-plus/icons-vue'
import { ElButton, ElDropdown, ElDropdownItem, ElDropdownMenu } from 'element-plus'
import type { LaneChange } from './use-lanes.js'

defineProps<{ title: string; isTall: boolean; isFirst: boolean; isLast: boolean; isOnly: boolean }>()
defineEmits<{ act: [what: LaneChange] }>()
</script>

<template>
  <ElDropdown trigger="click" size="small" @command="(what: LaneChange) => $emit('act', what)">
    <ElButton
      class="open"
      link
      size="small"
      :icon="MoreFilled"
      :aria-label="`Lane ${title}`"
      @pointerdown.stop
      @keydown.stop
    />
    <template #dropdown>
      <ElDropdownMenu>
        <ElDropdownItem command="turn">{{ isTall ? 'Lower' : 'Taller' }}</ElDropdownItem>
        <ElDropdownItem command="up" :disabled="isFirst">Move up</ElDropdownItem>
        <ElDropdownItem command="down" :disabled="isLast">Move down</ElDropdownItem>
        <ElDropdownItem command="remove" :disabled="isOnly">Remove</ElDropdownItem>
        <ElDropdownItem command="png" divided>Save as PNG</ElDropdownItem>
      </ElDropdownMenu>
    </template>
  </ElDropdown>
</template>

<style scoped>
.open {
  height: 16px;
  padding: 0 4px;
}
</style>
