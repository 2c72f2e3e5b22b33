<script setup lang="ts">
// Entries of a recording: what is taken, and why the others are not; a click turns either.
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
      <button type="button" class="link soft" @click="showsAll = !showsAll">
        {{ showsAll ? 'only those taken' : `and ${left} left out` }}
      </button>
    </div>
    <label v-for="entry in shown" :key="entry.number" class="entry" :class="{ left: entry.leftOut }" :title="entry.url">
      <input type="checkbox" :checked="entry.leftOut === ''" @change="$emit('turn', entry.number)" />
      <span class="method">{{ entry.method }}</span>
      <span class="url">{{ short(entry.url) }}</span>
      <span class="soft">{{ entry.leftOut || entry.status }}</span>
    </label>
  </div>
</template>

<style scoped>
.title {
  display: flex;
  justify-content: space-between;
}
.entry {
  display: grid;
  grid-template-columns: 18px 46px minmax(0, 1fr) auto;
  gap: 6px;
  padding: 2px 0;
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
