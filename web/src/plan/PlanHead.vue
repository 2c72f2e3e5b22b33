<script setup lang="ts">
// The head of a plan: its name, where it stands in Git, how it is looked at, and undo.
import { ElButton } from 'element-plus'
import type { PlanText } from '@jolt-gate/core/api'
import BranchMenu from './BranchMenu.vue'
import { MODES, type Mode } from './modes.js'

defineProps<{
  project: number
  file: string
  name: string
  opened: PlanText | undefined
  changedLines: number
  mode: Mode
  mayWrite: boolean
}>()
defineEmits<{ mode: [mode: Mode]; switched: []; undo: []; redo: []; commit: [] }>()
</script>

<template>
  <div class="head">
    <h1>{{ name }}</h1>
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
    <span class="modes" role="tablist" aria-label="View of the plan">
      <button
        v-for="one in MODES"
        :key="one"
        type="button"
        role="tab"
        class="mode"
        :class="{ here: mode === one }"
        :aria-selected="mode === one"
        @click="$emit('mode', one)"
      >
        {{ one }}
      </button>
    </span>
    <span v-if="mayWrite" class="undo">
      <button type="button" class="icon" aria-label="Undo" title="Undo" @click="$emit('undo')">↶</button>
      <button type="button" class="icon" aria-label="Redo" title="Redo" @click="$emit('redo')">↷</button>
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
.modes {
  display: flex;
  align-self: stretch;
  margin-left: auto;
}
.mode {
  padding: 0 12px;
  border: 0;
  border-bottom: 3px solid transparent;
  background: none;
  color: var(--soft);
  font: inherit;
  cursor: pointer;
}
.mode.here {
  border-bottom-color: var(--lake);
  color: var(--ink);
  font-weight: 650;
}
.undo {
  display: flex;
  gap: 2px;
}
</style>
