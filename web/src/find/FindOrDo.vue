<script setup lang="ts">
// Find or do: plans, steps, runs, targets and actions, from the keyboard.
import { ElDialog, ElInput } from 'element-plus'
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { findable, type Found } from './findable.js'

const props = defineProps<{ project: number | undefined }>()
const isOpen = defineModel<boolean>({ required: true })
const emit = defineEmits<{ act: [name: string] }>()
const router = useRouter()
const words = ref('')
const all = ref<Found[]>([])
const chosen = ref(0)
const isLoading = ref(false)
const input = ref<InstanceType<typeof ElInput>>()
/** The library's field takes no role, and this one chooses from a list. */
function begin(): void {
  input.value?.input?.setAttribute('role', 'combobox')
  input.value?.focus()
}

watch(isOpen, async (open) => {
  if (!open) return
  words.value = ''
  chosen.value = 0
  isLoading.value = true
  all.value = await findable(props.project)
  isLoading.value = false
})
const MOST = 14
/** Every word must be there; what begins with them comes first. */
const found = computed(() => {
  const wanted = words.value
    .toLowerCase()
    .split(/\s+/)
    .filter((word) => word !== '')
  return all.value
    .filter(({ label, kind, more }) => wanted.every((word) => `${label} ${kind} ${more}`.toLowerCase().includes(word)))
    .map((one, index) => ({
      one,
      rank: one.label.toLowerCase().startsWith(words.value.toLowerCase().trim()) ? index - 10_000 : index,
    }))
    .sort((a, b) => a.rank - b.rank)
    .slice(0, MOST)
    .map(({ one }) => one)
})
watch(found, () => (chosen.value = 0))

function go(one: Found | undefined): void {
  if (one === undefined) return
  isOpen.value = false
  if (one.to !== undefined) void router.push(one.to)
  else if (one.act !== undefined) emit('act', one.act)
}
function press(event: Event): void {
  if (!(event instanceof KeyboardEvent)) return
  if (event.key === 'ArrowDown') chosen.value = Math.min(found.value.length - 1, chosen.value + 1)
  else if (event.key === 'ArrowUp') chosen.value = Math.max(0, chosen.value - 1)
  else if (event.key === 'Enter') go(found.value[chosen.value])
  else return
  event.preventDefault()
}
</script>

<template>
  <ElDialog
    v-model="isOpen"
    :show-close="false"
    width="620"
    top="12vh"
    title="Find or do"
    @open-auto-focus="input?.focus()"
    @opened="begin()"
  >
    <ElInput
      ref="input"
      v-model="words"
      autofocus
      class="words"
      aria-label="Find or do"
      :aria-expanded="found.length > 0"
      aria-controls="found"
      :aria-activedescendant="found.length === 0 ? undefined : `found-${chosen}`"
      placeholder="a plan, a step, a run, a target, or what to do"
      @keydown="press"
    />
    <ul v-show="found.length > 0" id="found" class="found" role="listbox" aria-label="What was found">
      <li
        v-for="(one, index) in found"
        :id="`found-${index}`"
        :key="`${one.kind} ${one.label} ${one.more}`"
        role="option"
        :aria-selected="index === chosen"
        :class="{ here: index === chosen }"
        @click="go(one)"
        @pointermove="chosen = index"
      >
        <span class="kind">{{ one.kind }}</span>
        <span class="label">{{ one.label }}</span>
        <span class="soft more">{{ one.more }}</span>
      </li>
    </ul>
    <p v-if="found.length === 0" class="soft none" role="status">{{ isLoading ? 'Searching …' : 'Nothing found' }}</p>
  </ElDialog>
</template>

<style scoped>
.words {
  width: 100%;
  font-size: 15px;
}
.found {
  margin: 8px 0 0;
  padding: 0;
  list-style: none;
}
.found li {
  display: grid;
  grid-template-columns: 60px minmax(0, 1fr) auto;
  gap: 10px;
  padding: 5px 8px;
  cursor: pointer;
}
.none {
  display: block;
}
.here {
  background: var(--lake-light);
}
.kind {
  color: var(--lake);
}
.label {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.more {
  max-width: 240px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>
