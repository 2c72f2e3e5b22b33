<script setup lang="ts">
// Places that two people have changed: the two texts beside one another, and one, the other or both is taken.
import { ElButton, ElDialog, ElRadio, ElRadioGroup } from 'element-plus'
import { computed, ref, watch } from 'vue'
import type { MergePart } from './use-saving.js'

const props = defineProps<{ parts: readonly MergePart[]; who: string }>()
const emit = defineEmits<{ merge: [chosen: string[][]] }>()
const isOpen = defineModel<boolean>({ required: true })

type Choice = 'mine' | 'theirs' | 'both'
const places = computed(() => {
  let line = 1
  return props.parts.flatMap((part) => {
    const at = line
    line += part.kind === 'same' ? part.lines.length : part.mine.length
    return part.kind === 'same' ? [] : [{ ...part, line: at }]
  })
})
const chosen = ref<(Choice | undefined)[]>([])
watch(isOpen, (open) => {
  if (open) chosen.value = places.value.map(() => undefined)
})
const isWhole = computed(() => places.value.every((_, index) => chosen.value[index] !== undefined))
function merge(): void {
  emit(
    'merge',
    places.value.map(({ mine, theirs }, index) => {
      const choice = chosen.value[index]
      return choice === 'both' ? [...mine, ...theirs] : choice === 'theirs' ? theirs : mine
    }),
  )
  isOpen.value = false
}
const shown = (lines: readonly string[]) => (lines.length === 0 ? '(these lines are gone)' : lines.join('\n'))
</script>

<template>
  <ElDialog v-model="isOpen" title="Changed by both" width="min(880px, 94vw)" append-to-body>
    <section v-for="(place, index) in places" :key="index" class="place">
      <h3>From line {{ place.line }}</h3>
      <div class="sides">
        <div>
          <span class="soft">yours</span>
          <pre>{{ shown(place.mine) }}</pre>
        </div>
        <div>
          <span class="soft">{{ who === '' ? 'on disk' : who }}</span>
          <pre>{{ shown(place.theirs) }}</pre>
        </div>
      </div>
      <ElRadioGroup v-model="chosen[index]" :aria-label="`Lines from ${place.line}`">
        <ElRadio value="mine">Take yours</ElRadio>
        <ElRadio value="theirs">Take theirs</ElRadio>
        <ElRadio value="both">Take both</ElRadio>
      </ElRadioGroup>
    </section>
    <template #footer>
      <ElButton @click="isOpen = false">Cancel</ElButton>
      <ElButton type="primary" :disabled="!isWhole" @click="merge()">Merge</ElButton>
    </template>
  </ElDialog>
</template>

<style scoped>
.place {
  padding-bottom: 14px;
}
.sides {
  display: grid;
  grid-template-columns: repeat(2, minmax(0, 1fr));
  gap: 12px;
}
pre {
  margin: 2px 0 4px;
  padding: 8px 10px;
  overflow: auto;
  border: 1px solid var(--rule);
  background: var(--sheet);
  font: 12.5px/1.5 var(--mono);
}
h3 {
  padding-bottom: 4px;
  font-size: 13px;
}
</style>
