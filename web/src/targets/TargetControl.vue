<script setup lang="ts">
// Who permits the load of a target, and whether control of it is proven.
import { ElButton, ElInput } from 'element-plus'
import { ref } from 'vue'
import { api, wordsOf } from '../api/client.js'
import type { ControlLine, TargetLine } from '@jolt-gate/core/api'
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
const prove = () => ask(() => api.control(props.project, props.target.name))
const approve = () => ask(() => api.approve(props.project, props.target.name, words.value))
</script>

<template>
  <section>
    <h2>Permission</h2>
    <p v-if="target.isLoopback" class="soft">on loopback: may be loaded freely</p>
    <template v-else>
      <dl v-if="target.target?.permission">
        <dt>given by</dt>
        <dd>{{ target.target.permission.by }}</dd>
        <dt>at most</dt>
        <dd>{{ target.target.permission.ratePerSecond }}/s</dd>
        <dt>hours</dt>
        <dd>{{ target.target.permission.hours ?? 'any' }}</dd>
        <dt>until</dt>
        <dd>{{ target.target.permission.until }}</dd>
      </dl>
      <p v-if="target.fault" class="fault">{{ target.fault }}</p>
      <template v-if="target.target?.permission">
        <ElButton :loading="isBusy" @click="prove()">Check for the token</ElButton>
        <div v-for="one in control ?? []" :key="one.token" class="control">
          <b>{{ one.origin }}</b>
          {{ one.approvedBy ? `approved by ${one.approvedBy}` : one.isProven ? 'control is proven' : one.why }}
          <p v-if="!one.isProven" class="soft">
            Serve this token as text at <code>{{ one.url }}</code>:
            <code>{{ one.token }}</code>
          </p>
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
    </template>
    <p v-if="fault" class="fault" role="alert">{{ fault }}</p>
  </section>
</template>

<style scoped>
h2 {
  padding: 16px 0 6px;
}
dl {
  display: grid;
  grid-template-columns: 70px 1fr;
  gap: 2px 10px;
  margin: 0 0 8px;
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
