<script setup lang="ts">
// The generators of a fleet: what each does, what it can make, how late it is, and what is wrong with it.
import { formatMs } from '@jolt-gate/core'
import type { GeneratorLine } from '@jolt-gate/core/api'
import { ElTable, ElTableColumn } from 'element-plus'
import { computed } from 'vue'
import { counted, lengthOf, rate } from '../text/figures.js'
import BusySpark from './BusySpark.vue'
import { lanesByPlace, warningOf } from './generator-words.js'

const props = defineProps<{ generators: GeneratorLine[]; version: string }>()
const rows = computed(() =>
  props.generators.map((generator) => ({
    ...generator,
    name: generator.id.slice(generator.place.length + 1),
    // Of one that is silent, what it made in its last second is no answer for this one.
    making: generator.state === 'here' ? generator.now : null,
    lanes: lanesByPlace(placesWith(generator.does?.run?.id)),
    warning: warningOf(generator, props.version),
    seen: generator.state === 'here' ? 'now' : `${lengthOf(generator.silentMs / 1000)} ago`,
  })),
)
/** Where its run is made. */
function placesWith(run: string | undefined): string[] {
  return props.generators.filter(({ does }) => does?.run?.id === run).map(({ place }) => place)
}
const warned = computed(() => rows.value.filter(({ warning }) => warning !== undefined).map(({ id }) => id))
</script>

<template>
  <ElTable
    class="generators"
    :data="rows"
    row-key="id"
    size="small"
    aria-label="Generators"
    empty-text="No generator has joined yet"
    :expand-row-keys="warned"
  >
    <!-- What is wrong stands below its row, always open: there is nothing to press. -->
    <ElTableColumn type="expand" width="1">
      <template #default="{ row }">
        <p v-if="row.warning" class="warning">
          <b>{{ row.warning.fault }}</b> {{ row.warning.meaning }}
        </p>
      </template>
    </ElTableColumn>
    <ElTableColumn label="generator" min-width="120">
      <template #default="{ row }">
        <b>{{ row.name }}</b>
        <div class="soft">{{ row.version }} · {{ counted(row.cores, 'core') }}</div>
      </template>
    </ElTableColumn>
    <ElTableColumn label="place" prop="place" min-width="70" />
    <ElTableColumn label="does now" min-width="150">
      <template #default="{ row }">
        <RouterLink
          v-if="row.does?.run"
          :to="{
            name: 'run',
            params: { project: row.does.run.projectId, run: row.does.run.id },
            query: { show: 'places', lanes: row.lanes },
          }"
          >{{ row.does.words }}</RouterLink
        >
        <span v-else-if="row.does">{{ row.does.words }}</span>
        <span v-else class="soft">–</span>
        <div v-if="row.does?.run" class="soft">run {{ row.does.run.number }}</div>
      </template>
    </ElTableColumn>
    <ElTableColumn label="busiest sender, last minute" width="210">
      <template #default="{ row }">
        <BusySpark :busy="row.busy" :is-bad="row.warning !== undefined" />
      </template>
    </ElTableColumn>
    <ElTableColumn label="requests" align="right" width="86">
      <template #default="{ row }">{{ row.making ? `${rate(row.making.requests)}/s` : '–' }}</template>
    </ElTableColumn>
    <ElTableColumn label="can make" align="right" width="92">
      <template #default="{ row }">
        <template v-if="row.mostPerSecond !== null">{{ rate(row.mostPerSecond) }}/s</template>
        <span v-else class="soft">not measured</span>
      </template>
    </ElTableColumn>
    <ElTableColumn label="late, at most" align="right" width="96">
      <template #default="{ row }">{{ row.making ? formatMs(row.making.latenessMs) : '–' }}</template>
    </ElTableColumn>
    <ElTableColumn label="clock" align="right" width="82">
      <template #default="{ row }">
        <span class="soft">{{ row.clockErrorMs === null ? '–' : `±${formatMs(row.clockErrorMs)}` }}</span>
      </template>
    </ElTableColumn>
    <ElTableColumn label="seen" width="72">
      <template #default="{ row }">
        <span :class="row.state === 'here' ? 'soft' : 'bad'">{{ row.seen }}</span>
      </template>
    </ElTableColumn>
  </ElTable>
</template>

<style scoped>
.generators a {
  color: var(--lake);
}
.warning {
  margin: 0;
  padding: 2px 12px 6px 130px;
}
.warning b,
.bad {
  color: var(--brick);
}
.generators :deep(.el-table__expand-column .cell) {
  display: none;
}
.generators :deep(.el-table__expanded-cell) {
  padding: 0;
  background: var(--sheet);
}
</style>
