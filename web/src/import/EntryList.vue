<script setup lang="ts">
// Entries of a recording: what is taken, and why the others are not; a click turns either.
import { ElButton, ElCheckbox } from 'element-plus'
import { computed, ref } from 'vue'
import type { EntryLine } from './import.worker.js'

const props = defineProps<{ entries: EntryLine[] }>()
defineEmits<{ turn: [number: number] }>()
const showsAll = ref(false)
const shown = computed(() => (showsAll.value ? props.entries : props.entries.filter(({ leftOut }) => leftOut === '')))
const left = computed(() => props.entries.filter(({ leftOut }) => leftOut !== '').length)
const short = (url: string) => url.replace(/^https?:\/\/[^/]+/, '').slice(0, 80)
</script>

<template>
  <div class="entries">
    <div class="title">
      <b>Entries</b>
      <ElButton v-if="left > 0" size="small" text @click="showsAll = !showsAll">
        {{ showsAll ? 'Only those taken' : `And ${left} left out` }}
      </ElButton>
    </div>
    <ElCheckbox
      v-for="entry in shown"
      :key="entry.number"
      class="entry"
      :class="{ left: entry.leftOut }"
      :title="entry.url"
      :model-value="entry.leftOut === ''"
      @update:model-value="$emit('turn', entry.number)"
    >
      <span class="method">{{ entry.method }}</span>
      <span class="url">{{ short(entry.url) }}</span>
      <span class="soft">{{ entry.leftOut || entry.status }}</span>
    </ElCheckbox>
  </div>
</template>

<style scoped>
.title {
  display: flex;
  align-items: center;
  margin-top: 6px;
  justify-content: space-between;
}
.entry {
  display: flex;
  height: 25px;
  margin: 0;
}
.entry :deep(.el-checkbox__label) {
  display: grid;
  flex: 1;
  grid-template-columns: 46px minmax(0, 1fr) auto;
  gap: 6px;
  min-width: 0;
}
.method {
  color: var(--lake);
  font: 600 11.5px/1.6 var(--mono);
}
.url {
  overflow: hidden;
  font: 12px/1.5 var(--mono);
  text-overflow: ellipsis;
  white-space: nowrap;
}
.left .url {
  color: var(--soft);
}
</style>
