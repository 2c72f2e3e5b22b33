<script setup lang="ts">
// Who permits the load of a target, and whether control of it is proven.
import { ElButton, ElInput } from 'element-plus'
import { computed, ref } from 'vue'
import { api, wordsOf } from '../api/client.js'
import type { ControlLine, TargetLine } from '@jolt-gate/core/api'
import CommandBox from '../forms/CommandBox.vue'
import { useMay } from '../stores/may.js'

const props = defineProps<{ project: number; target: TargetLine }>()
const may = useMay(() => props.project)
const control = ref<ControlLine[]>()
const words = ref('')
const fault = ref('')
const isBusy = ref(false)

async function ask(work: () => Promise<{ control: ControlLine[] }>): Promise<void> {
  fault.value = ''
  isBusy.value = true
  try {
    control.value = (await work()).control
  } catch (error) {
    fault.value = wordsOf(error)
  }
  isBusy.value = false
}
const permission = computed(() => props.target.target?.permission)
/** The step that is to be done next: asking, proving, and then there is nothing left but to load it. */
const current = computed(() => {
  if (permission.value === undefined || props.target.fault !== null) return 1
  return control.value?.every(({ isProven }) => isProven) === true ? 3 : 2
})
const stateOf = (step: number) =>
  step < current.value || current.value === 3 ? 'done' : step > current.value ? 'later' : ''
const prove = () => ask(() => api.control(props.project, props.target.name))
const approve = () => ask(() => api.approve(props.project, props.target.name, words.value))
</script>

<template>
  <section>
    <h2>Permission</h2>
    <p v-if="target.isLoopback" class="soft">on loopback: may be loaded freely</p>
    <ol v-else class="steps">
      <li :class="stateOf(1)" :aria-current="current === 1 ? 'step' : undefined">
        <b>Asked for</b>
        <dl v-if="permission">
          <dt>given by</dt>
          <dd>{{ permission.by }}</dd>
          <dt>at most</dt>
          <dd>{{ permission.ratePerSecond }}/s</dd>
          <dt>hours</dt>
          <dd>{{ permission.hours ?? 'any' }}</dd>
          <dt>until</dt>
          <dd>{{ permission.until }}</dd>
        </dl>
        <p v-else class="soft">
          The target is not on loopback: add <code>permission</code> to its file, with who gives it, the highest rate
          and until when.
        </p>
        <p v-if="target.fault" class="fault">{{ target.fault }}</p>
      </li>
      <li :class="stateOf(2)" :aria-current="current === 2 ? 'step' : undefined">
        <b>Proven or approved</b>
        <template v-if="permission">
          <p class="soft">
            Who serves a token at each address controls it; or an administrator approves it in writing.
          </p>
          <ElButton :loading="isBusy" @click="prove()">{{
            control ? 'Check again' : 'Show and check the token'
          }}</ElButton>
          <div v-for="one in control ?? []" :key="one.token" class="control">
            <b>{{ one.origin }}</b>
            {{ one.approvedBy ? `approved by ${one.approvedBy}` : one.isProven ? 'control is proven' : one.why }}
            <template v-if="!one.isProven">
              <p class="soft">Serve this token as text:</p>
              <CommandBox :text="one.token" />
              <p class="soft">at this address:</p>
              <CommandBox :text="one.url" />
            </template>
          </div>
          <form
            v-if="may.isAdministrator && control?.some((one) => !one.isProven)"
            class="approve"
            @submit.prevent="approve"
          >
            <ElInput
              v-model="words"
              type="textarea"
              :rows="2"
              aria-label="Reason"
              placeholder="Or approve in writing: why may it be loaded?"
            />
            <ElButton native-type="submit" :disabled="words.trim().length < 20">Approve</ElButton>
          </form>
        </template>
      </li>
      <li :class="stateOf(3)" :aria-current="current === 3 ? 'step' : undefined">
        <b>May be loaded</b>
        <p v-if="current === 3" class="soft">
          until {{ permission?.until }}, {{ permission?.ratePerSecond }}/s at most
        </p>
        <p v-else class="soft">not before the steps above; control is asked for anew before each load</p>
      </li>
    </ol>
    <p v-if="fault" class="fault" role="alert">{{ fault }}</p>
  </section>
</template>

<style scoped>
h2 {
  padding: 16px 0 6px;
}
.steps {
  margin: 0;
  padding-left: 22px;
}
li {
  padding: 0 0 12px 6px;
}
li::marker {
  color: var(--soft);
  font-weight: 650;
}
.done > b {
  color: var(--lake);
}
.done > b::after {
  content: ': done';
  font-weight: 400;
}
.later {
  color: var(--soft);
}
dl {
  display: grid;
  grid-template-columns: 70px 1fr;
  gap: 2px 10px;
  margin: 2px 0 6px;
}
dt {
  color: var(--soft);
}
dd {
  margin: 0;
}
.control {
  padding: 8px 0;
  overflow-wrap: anywhere;
}
.approve {
  display: grid;
  gap: 8px;
  justify-items: start;
}
</style>
