<script setup lang="ts">
// The runs that the next run of this plan against this target is held to.
import type { BaselineLine } from '@jolt-gate/core/api'
import { useNow } from '@vueuse/core'
import { ago } from '../text/figures.js'

defineProps<{ project: number; baseline: BaselineLine | null }>()
const now = useNow({ interval: 60_000 })
</script>

<template>
  <section>
    <h2>Baseline{{ baseline?.branch ? ` on ${baseline.branch}` : '' }}</h2>
    <p v-if="baseline === null" class="soft">None yet: runs of the default branch become it, ten at most.</p>
    <template v-else>
      <p>
        <RouterLink :to="{ name: 'run', params: { project, run: baseline.run.id } }"
          >Run {{ baseline.run.number }}</RouterLink
        >, <b>{{ baseline.how === 'pinned' ? 'pinned' : 'the latest' }}</b>
        {{ baseline.how === 'pinned' ? 'beside the last runs' : 'of the last runs' }}, ten at most
      </p>
      <p class="soft">
        {{
          baseline.how === 'pinned'
            ? `by ${baseline.by ?? ''}, ${ago(baseline.at, now.getTime())}`
            : `chosen automatically; it ran ${ago(baseline.run.askedAt, now.getTime())}`
        }}
      </p>
      <p class="soft">To pin another run as baseline, open its page.</p>
    </template>
  </section>
</template>

<style scoped>
h2 {
  padding-bottom: 6px;
}
a {
  color: var(--lake);
}
</style>
