<script setup lang="ts">
// The head of a plan: its name, where it stands in Git, how it is looked at, and undo.
import { MoreFilled, RefreshLeft, RefreshRight } from '@element-plus/icons-vue'
import {
  ElButton,
  ElDropdown,
  ElDropdownItem,
  ElDropdownMenu,
  ElMessage,
  ElMessageBox,
  ElTabPane,
  ElTabs,
} from 'element-plus'
import type { PlanText } from '@jolt-gate/core/api'
import { ref } from 'vue'
import { api, wordsOf } from '../api/client.js'
import CapacityDialog from '../capacity/CapacityDialog.vue'
import ScheduleDialog from '../pipelines/ScheduleDialog.vue'
import BranchMenu from './BranchMenu.vue'
import { MODE_LABELS, MODES, type Mode } from './modes.js'
import { counted } from '../text/figures.js'

const props = defineProps<{
  project: number
  file: string
  name: string
  opened: PlanText | undefined
  changedLines: number
  mode: Mode
  mayWrite: boolean
}>()
const emit = defineEmits<{
  mode: [mode: Mode]
  switched: []
  undo: []
  redo: []
  commit: []
  deleted: []
  renamed: [to: string]
}>()
function change(chosen: string | number): void {
  const mode = MODES.find((one) => one === chosen)
  if (mode !== undefined) emit('mode', mode)
}

/** What a box answers when it is closed by its main action; undefined when it is left. */
const isScheduling = ref(false)
const isSearching = ref(false)
async function act(command: string): Promise<void> {
  if (command === 'schedule' || command === 'capacity') {
    ;(command === 'schedule' ? isScheduling : isSearching).value = true
    return
  }
  try {
    if (command === 'rename') {
      const { value: to } = await ElMessageBox.prompt('The new path, in this project', 'Rename the file', {
        inputValue: props.file,
        inputPattern: /^[\w./-]+\.gate\.yaml$/,
        inputErrorMessage: 'a path that ends in .gate.yaml, such as plans/peak.gate.yaml',
        confirmButtonText: 'Rename',
      })
      await api.renameFile(props.project, props.file, to)
      emit('renamed', to)
    } else {
      await ElMessageBox.confirm(
        `${props.file} goes in a commit of its own: its history and its runs stay, and Git can bring it back.`,
        'Delete the plan?',
        { confirmButtonText: 'Delete' },
      )
      await api.removeFile(props.project, props.file)
      emit('deleted')
    }
  } catch (error) {
    if (error instanceof Error) ElMessage.error(wordsOf(error))
  }
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
        :may-write="mayWrite"
        :held="changedLines === 0 ? '' : 'Commit or undo your changes first.'"
        @switched="$emit('switched')"
      />
      ·
      <template v-if="changedLines > 0"
        >{{ counted(changedLines, 'line') }} changed since {{ opened.commit?.slice(0, 7) }}</template
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
    <ElDropdown v-if="mayWrite && opened" trigger="click" @command="act">
      <ElButton text :icon="MoreFilled" aria-label="More for this plan" />
      <template #dropdown>
        <ElDropdownMenu>
          <ElDropdownItem command="capacity">Find capacity…</ElDropdownItem>
          <ElDropdownItem command="schedule">Schedule…</ElDropdownItem>
          <ElDropdownItem command="rename" :disabled="changedLines > 0">Rename the file…</ElDropdownItem>
          <ElDropdownItem command="delete">Delete the plan…</ElDropdownItem>
        </ElDropdownMenu>
      </template>
    </ElDropdown>
    <CapacityDialog
      v-if="isSearching"
      v-model="isSearching"
      :project="project"
      :plan="file"
      :name="name"
      :is-changed="changedLines > 0"
    />
    <ScheduleDialog v-if="isScheduling" v-model="isScheduling" :project="project" :plan="file" :name="name" />
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
