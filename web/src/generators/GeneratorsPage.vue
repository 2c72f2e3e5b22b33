<script setup lang="ts">
// The generators of the fleet that this server makes load by: who is there, what they do, and how to add one.
import { formatMs } from '@jolt-gate/core'
import { useQuery } from '@tanstack/vue-query'
import { useNow } from '@vueuse/core'
import { computed } from 'vue'
import { api, wordsOf } from '../api/client.js'
import CommandBox from '../forms/CommandBox.vue'
import PageError from '../frame/PageError.vue'
import PageHead from '../frame/PageHead.vue'
import { ago, counted, rate } from '../text/figures.js'
import GeneratorTable from './GeneratorTable.vue'
import { newsWords, placesOf, worstClockMs } from './generator-words.js'

const EVERY_MS = 1000
const { data, error, isPending, refetch } = useQuery({
  queryKey: ['generators'],
  queryFn: () => api.generators(),
  refetchInterval: EVERY_MS,
})
const now = useNow({ interval: EVERY_MS })
const generators = computed(() => data.value?.generators ?? [])
const here = computed(() => generators.value.filter(({ state }) => state === 'here').length)
const places = computed(() => placesOf(generators.value))
const worst = computed(() => worstClockMs(generators.value))
const weights = computed(() =>
  places.value.map(({ place, generators: count }) => `${place}: ${String(count)}`).join(', '),
)
const commands = computed(
  () => `jolt-gate fleet add lk4 --place north
jolt-gate generate \\
  --join ${data.value?.address ?? 'nats://HOST:4222'} \\
  --key lk4.key`,
)
const FOUNDING = `jolt-gate fleet init fleet
jolt-gate fleet add lk1 --place north --folder fleet
(cd fleet && nats-server -c nats.conf) &
jolt-gate generate --join nats://127.0.0.1:4222 --key fleet/lk1.key &`
const SERVER = '--fleet nats://127.0.0.1:4222 --fleet-key fleet/coordinator.key'
</script>

<template>
  <div class="padded">
    <PageHead title="Generators">
      <span v-if="data && data.state !== 'none'" class="soft">
        fleet <code>{{ data.address }}</code>
        <template v-if="data.state === 'joined'">
          · connected, {{ data.hasTls ? 'TLS' : 'on loopback' }} · {{ counted(here, 'generator') }} in
          {{ counted(places.length, 'place')
          }}<template v-if="worst !== null">, clocks within {{ formatMs(worst) }}</template>
        </template>
      </span>
    </PageHead>
    <PageError
      v-if="error && !data"
      title="The generators could not be read"
      :detail="wordsOf(error)"
      @again="refetch()"
    />
    <p v-else-if="isPending || !data" class="soft wait">Loading generators…</p>
    <section v-else-if="data.state === 'none'" class="wait">
      <h2>This server has no fleet</h2>
      <p>
        Its own machine makes the load of every run. Take a fleet where one machine is too small, or where load is to
        come from several places:
      </p>
      <CommandBox :text="FOUNDING" />
      <p>
        Then start the server with these two options, and plans that name <code>places</code> are made by its
        generators:
      </p>
      <CommandBox :text="SERVER" />
    </section>
    <p v-else-if="data.state === 'joining'" class="soft wait">Joining the fleet…</p>
    <section v-else-if="data.state === 'away'" class="wait">
      <h2 class="bad">The fleet does not answer</h2>
      <p>{{ data.why }}, {{ ago(data.since, now.getTime()) }}</p>
      <p class="soft">
        It is tried again every two seconds. Meanwhile a run whose plan names places is void; all others go on. Is
        <code>nats-server</code> running there?
      </p>
    </section>
    <div v-else class="desk">
      <section>
        <GeneratorTable :generators="generators" :version="data.version" />
        <p v-if="error" class="bad" role="alert">Not heard of the server since then: {{ wordsOf(error) }}</p>
      </section>
      <aside>
        <h2>Places</h2>
        <p v-if="places.length === 0" class="soft">None: no generator is here.</p>
        <div v-for="one in places" :key="one.place" class="place">
          <b>{{ one.place }}</b>
          <span>{{ counted(one.generators, 'generator') }}</span>
          <span class="soft">{{ one.mostPerSecond === null ? '' : `${rate(one.mostPerSecond)}/s` }}</span>
        </div>
        <p v-if="places.length > 0" class="soft">
          A plan asks for places by weight: <code>places: { {{ weights }} }</code>
        </p>
        <h2>Add a generator</h2>
        <CommandBox :text="commands" />
        <p class="soft">
          The first where the fleet's files are; take the key to the machine of the second. What it can make is told
          once
          <code>jolt-gate calibrate</code> has run there.
        </p>
        <h2>Lately</h2>
        <p v-if="data.news.length === 0" class="soft">Nobody came or went since the server joined the fleet.</p>
        <div v-for="(one, index) in data.news.slice(0, 8)" :key="index">
          <span class="soft">{{ ago(one.at, now.getTime()) }}</span> <b>{{ one.generator }}</b> {{ newsWords(one) }}
        </div>
      </aside>
    </div>
  </div>
</template>

<style scoped>
.desk {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 262px;
  gap: 18px;
}
.wait {
  max-width: 620px;
  padding: 16px 10px;
}
.place {
  display: grid;
  grid-template-columns: 1fr auto 70px;
  gap: 10px;
  padding: 6px 8px;
  border-bottom: 1px solid var(--rule);
}
.place span:last-child {
  text-align: right;
}
aside h2 {
  padding: 10px 0 4px;
}
.bad {
  color: var(--brick);
}
</style>
