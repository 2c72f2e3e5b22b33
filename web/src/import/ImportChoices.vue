<script setup lang="ts">
// What of a recording or a description is taken, and how.
import { ref } from 'vue'
import EntryList from './EntryList.vue'
import type { ImportChoice } from './import.worker.js'
import type { ReadyImport } from './use-import.js'

const props = defineProps<{ ready: ReadyImport; choice: ImportChoice }>()
// Their own, so that a new draft does not remove what is being typed.
const name = ref(props.choice.name)
const origin = ref(props.choice.origin)
const emit = defineEmits<{ choose: [part: Partial<ImportChoice>] }>()

const WAITS: [ImportChoice['waits'], string][] = [
  ['around', 'around the recorded times'],
  ['kept', 'as recorded'],
  ['rounded', 'in whole seconds'],
  ['none', 'none'],
]
const choose = (part: Partial<ImportChoice>) => emit('choose', part)
const toggled = (list: readonly string[], one: string) =>
  list.includes(one) ? list.filter((other) => other !== one) : [...list, one]
const fieldOf = (event: Event) =>
  event.target instanceof HTMLSelectElement || event.target instanceof HTMLInputElement ? event.target.value : ''
const waitsFrom = (event: Event) => WAITS.find(([one]) => one === fieldOf(event))?.[0] ?? 'around'
function turn(number: number): void {
  const { turned } = props.choice
  choose({ turned: turned.includes(number) ? turned.filter((one) => one !== number) : [...turned, number] })
}
</script>

<template>
  <div class="choices">
    <label>Name of the plan<input v-model="name" class="field" @change="choose({ name })" /></label>
    <template v-if="ready.what === 'har'">
      <fieldset>
        <legend>Hosts</legend>
        <label v-for="host in ready.hosts" :key="host.origin" class="check">
          <input
            type="checkbox"
            :checked="choice.origins.includes(host.origin)"
            @change="choose({ origins: toggled(choice.origins, host.origin) })"
          />
          {{ host.origin }} <span class="soft">{{ host.requests }}</span>
        </label>
      </fieldset>
      <label>
        Think times
        <select class="field" :value="choice.waits" @change="choose({ waits: waitsFrom($event) })">
          <option v-for="[waits, words] in WAITS" :key="waits" :value="waits">{{ words }}</option>
        </select>
      </label>
      <label class="check"
        ><input type="checkbox" :checked="choice.byPage" @change="choose({ byPage: !choice.byPage })" /> one group per
        page</label
      >
      <EntryList :entries="ready.entries" @turn="turn" />
    </template>
    <template v-if="ready.what === 'openapi' || ready.what === 'wsdl'">
      <label v-if="ready.what === 'openapi'"
        >Origin of the service<input v-model="origin" class="field" @change="choose({ origin })"
      /></label>
      <fieldset>
        <legend>Operations <span class="soft">in this order</span></legend>
        <label v-for="operation in ready.operations" :key="operation.id" class="check">
          <input
            type="checkbox"
            :checked="choice.operations.includes(operation.id)"
            @change="choose({ operations: toggled(choice.operations, operation.id) })"
          />
          <code>{{ operation.id }}</code> <span class="soft">{{ operation.summary }}</span>
        </label>
      </fieldset>
    </template>
  </div>
</template>

<style scoped>
.choices {
  display: grid;
  gap: 12px;
  align-content: start;
  padding: 12px 16px;
  overflow: auto;
}
.choices > label {
  display: grid;
  gap: 4px;
}
fieldset {
  display: grid;
  gap: 4px;
  margin: 0;
  padding: 0;
  border: 0;
}
legend {
  padding: 0 0 4px;
  font-weight: 650;
}
.check {
  display: block !important;
  overflow-wrap: anywhere;
}
</style>
