<script setup lang="ts">
// What was sent, what was answered, and what is sent next.
import type { DeliveryLine } from '@jolt-gate/core/api'
import { ElButton, ElTable, ElTableColumn } from 'element-plus'
import { computed, ref } from 'vue'
import { api, wordsOf } from '../api/client.js'
import { ago } from '../text/figures.js'

const props = defineProps<{ project: number; deliveries: DeliveryLine[]; now: number }>()
const emit = defineEmits<{ changed: [] }>()
const fault = ref('')
const busy = ref<number>()
/** What was sent, once somebody looked. */
const bodies = ref<Record<number, string>>({})

const rows = computed(() => props.deliveries.map((line) => ({ ...line, words: stateWords(line) })))

async function sendAgain(id: number): Promise<void> {
  fault.value = ''
  busy.value = id
  await api.sendAgain(props.project, id).catch((problem: unknown) => (fault.value = wordsOf(problem)))
  busy.value = undefined
  emit('changed')
}
async function look({ id }: DeliveryLine): Promise<void> {
  if (bodies.value[id] !== undefined) return
  const { body } = await api.delivery(props.project, id).catch((problem: unknown) => ({ body: wordsOf(problem) }))
  bodies.value[id] = pretty(body)
}
function pretty(body: string): string {
  try {
    return JSON.stringify(JSON.parse(body), null, 2)
  } catch {
    return body
  }
}
function stateWords({ state, attempts, nextAt }: DeliveryLine): string {
  if (state !== 'waiting') return attempts > 1 ? `${state}, ${String(attempts)} attempts` : state
  const minutes = nextAt === null ? 0 : Math.max(0, (new Date(nextAt).getTime() - props.now) / 60_000)
  const next =
    minutes < 1 ? 'soon' : minutes < 90 ? `in ${minutes.toFixed(0)} min` : `in ${(minutes / 60).toFixed(0)} h`
  return attempts === 0 ? 'waiting' : `attempt ${String(attempts + 1)} ${next}`
}
</script>

<template>
  <section>
    <h2>Deliveries</h2>
    <p v-if="fault" class="fault" role="alert">{{ fault }}</p>
    <ElTable
      :data="rows"
      size="small"
      row-key="id"
      empty-text="No deliveries yet"
      aria-label="Deliveries"
      @expand-change="look"
    >
      <ElTableColumn type="expand">
        <template #default="{ row }">
          <pre class="body">{{ bodies[row.id] ?? 'Loading…' }}</pre>
        </template>
      </ElTableColumn>
      <ElTableColumn label="event" width="112">
        <template #default="{ row }">
          <code>{{ row.type }}</code>
        </template>
      </ElTableColumn>
      <ElTableColumn prop="subject" label="about" min-width="200" show-overflow-tooltip />
      <ElTableColumn label="state" width="150">
        <template #default="{ row }">
          <span :class="row.state">{{ row.words }}</span>
        </template>
      </ElTableColumn>
      <ElTableColumn prop="answer" label="answer" min-width="110" show-overflow-tooltip />
      <ElTableColumn label="created" width="92">
        <template #default="{ row }">{{ ago(row.madeAt, now) }}</template>
      </ElTableColumn>
      <ElTableColumn width="100" align="right">
        <template #default="{ row }">
          <ElButton
            size="small"
            text
            :loading="busy === row.id"
            :aria-label="`Send again: ${row.subject}`"
            @click="sendAgain(row.id)"
          >
            Send again
          </ElButton>
        </template>
      </ElTableColumn>
    </ElTable>
  </section>
</template>

<style scoped>
.failed {
  color: var(--brick);
}
.waiting {
  color: var(--ochre-text);
}
.body {
  max-height: 320px;
  margin: 0;
  padding: 8px 12px;
  overflow: auto;
  font-size: 12px;
}
</style>
