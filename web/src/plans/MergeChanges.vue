<script setup lang="ts">
// What the merge of a branch would change, line by line: what one approves is what one has read.
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, wordsOf } from '../api/client.js'

const props = defineProps<{ project: number; branch: string; commit: string }>()
const { data, error } = useQuery({
  queryKey: [
    'merge-changes',
    computed(() => props.project),
    computed(() => props.branch),
    computed(() => props.commit),
  ],
  queryFn: () => api.mergeChanges(props.project, props.branch),
})
const KINDS: [RegExp, string][] = [
  [/^(?:diff |index |--- |\+\+\+ |new file|deleted file|rename |similarity )/, 'head'],
  [/^@@/, 'place'],
  [/^\+/, 'added'],
  [/^-/, 'removed'],
]
const lines = computed(() =>
  (data.value?.changes ?? '')
    .split('\n')
    .map((text) => ({ text, kind: KINDS.find(([is]) => is.test(text))?.[1] ?? '' })),
)
</script>

<template>
  <div class="changes">
    <p v-if="error" class="fault" role="alert">{{ wordsOf(error) }}</p>
    <p v-else-if="!data" class="soft">Loading what it changes…</p>
    <pre v-else tabindex="0"><span v-for="(line, index) in lines" :key="index" :class="line.kind">{{ line.text }}
</span></pre>
    <p v-if="data?.isCut" class="soft">The rest is not shown: look at it with Git.</p>
  </div>
</template>

<style scoped>
.changes {
  padding: 4px 16px 10px 44px;
}
pre {
  max-height: 420px;
  margin: 0;
  overflow: auto;
  font-size: 12px;
  line-height: 1.45;
}
.head {
  color: var(--soft);
}
.place {
  color: var(--slate);
}
.added {
  color: var(--lake);
}
.removed {
  color: var(--brick);
}
</style>
