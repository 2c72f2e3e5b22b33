<script setup lang="ts">
// The head of a plan: its name, where it stands in Git, how it is looked at, and undo.
import { RefreshLeft, RefreshRight } from '@element-plus/icons-vue'
import { ElButton, ElTabPane, ElTabs } from 'element-plus'
import type { PlanText } from '@jolt-gate/core/api'
import BranchMenu from './BranchMenu.vue'
import { MODE_LABELS, MODES, type Mode } from './modes.js'

defineProps<{
  project: number
  file: string
  name: string
  opened: PlanText | undefined
  changedLines: number
  mode: Mode
  mayWrite: boolean
}>()
const emit = defineEmits<{ mode: [mode: Mode]; switched: []; undo: []; redo: []; commit: [] }>()
function change(chosen: string | number): void {
  const mode = MODES.find((one) => one === chosen)
  if (mode !== undefined) emit('mode', mode)
}
</script>

<template>
  <div class="head">
    <h1 :title="name">{{ name }}</h1>
    <code class="soft file">{{ file }}</code>
    <span v-if="opened" class="soft">
      <BranchMenu
        :project="project"
        :branch="opened.branch"
        :may-write="mayWrite && changedLines === 0"
        @switched="$emit('switched')"
      />
      ·
      <template v-if="changedLines > 0"
        >{{ changedLines }} {{ changedLines === 1 ? 'line' : 'lines' }} changed since
        {{ opened.commit?.slice(0, 7) }}</template
      >
      <template v-else>as in {{ opened.commit?.slice(0, 7) ?? 'no commit' }}</template>
    </span>
    <ElTabs class="modes" :model-value="mode" aria-label="View of the plan" @tab-change="change">
      <ElTabPane v-for="one in MODES" :key="one" :name="one" :label="MODE_LABELS[one]" />
    </ElTabs>
    <span v-if="mayWrite" class="undo">
      <ElButton text :icon="RefreshLeft" aria-label="Undo" title="Undo" @click="$emit('undo')" />
      <ElButton text :icon="RefreshRight" aria-label="Redo" title="Redo" @click="$emit('redo')" />
    </span>
    <ElButton v-if="mayWrite" class="commit" :disabled="changedLines === 0" @click="$emit('commit')">Commit…</ElButton>
  </div>
</template>

<style scoped>
.head {
  display: flex;
  flex: none;
  gap: 14px;
  align-items: center;
  height: 46px;
  padding: 0 16px;
  border-bottom: 1px solid var(--rule);
  white-space: nowrap;
}
.file {
  overflow: hidden;
  text-overflow: ellipsis;
}
h1 {
  min-width: 120px;
  overflow: hidden;
  text-overflow: ellipsis;
}
.modes {
  flex: none;
  margin-left: auto;
}
.modes :deep(.el-tabs__header) {
  margin: 0;
}
.modes :deep(.el-tabs__nav-wrap::after) {
  display: none;
}
.modes {
  --el-tabs-header-height: 44px;
}
.undo {
  display: flex;
  gap: 2px;
}
</style>
