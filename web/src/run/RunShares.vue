<script setup lang="ts">
// Links by which a run is read without an account, until a day.
import type { RunDetail, Share } from '@jolt-gate/core/api'
import { ElButton, ElDialog, ElInput, ElOption, ElSelect } from 'element-plus'
import { ref, watch } from 'vue'
import { api, wordsOf } from '../api/client.js'
import { takeCursor } from '../forms/take-cursor.js'

const props = defineProps<{ run: RunDetail }>()
const isOpen = defineModel<boolean>({ required: true })
const DAYS = [1, 7, 30, 90, 365]
const days = ref(7)
const shares = ref<Share[]>([])
/** Told once. */
const link = ref('')
const isCopied = ref(false)
const fault = ref('')
watch(isOpen, (open) => {
  if (!open) return
  link.value = ''
  void changing(() => Promise.resolve())
})

async function changing(task: () => Promise<unknown>): Promise<void> {
  fault.value = ''
  try {
    await task()
    shares.value = (await api.shares(props.run.id)).shares
  } catch (error) {
    fault.value = wordsOf(error)
  }
}
const make = () =>
  changing(async () => {
    const { token } = await api.share(props.run.id, days.value)
    link.value = `${location.origin}/shared/${token}`
    isCopied.value = false
  })
async function copy(): Promise<void> {
  await navigator.clipboard.writeText(link.value).catch(() => undefined)
  isCopied.value = true
}
const dayOf = (moment: string) => moment.slice(0, 10)
</script>

<template>
  <ElDialog v-model="isOpen" title="Share this run" width="520" append-to-body @opened="takeCursor">
    <p class="soft">Anyone who has the link reads this run and nothing else, without an account and without actions.</p>
    <form class="new" @submit.prevent="make()">
      <ElSelect v-model="days" aria-label="How long the link lasts">
        <ElOption
          v-for="one in DAYS"
          :key="one"
          :value="one"
          :label="one === 1 ? 'for a day' : `for ${String(one)} days`"
        />
      </ElSelect>
      <ElButton type="primary" native-type="submit">Make a link</ElButton>
    </form>
    <div v-if="link !== ''" class="link">
      <ElInput :model-value="link" readonly aria-label="The link, shown once" />
      <ElButton @click="copy()">{{ isCopied ? 'Copied' : 'Copy' }}</ElButton>
    </div>
    <ul v-if="shares.length > 0" class="shares">
      <li v-for="share in shares" :key="share.id">
        <span class="words">until {{ dayOf(share.until) }}</span>
        <span class="soft">made by {{ share.by }}, {{ dayOf(share.at) }}</span>
        <ElButton link @click="changing(() => api.revokeShare(run.id, share.id))">Revoke</ElButton>
      </li>
    </ul>
    <p class="fault" role="alert">{{ fault }}</p>
  </ElDialog>
</template>

<style scoped>
.new,
.link {
  display: flex;
  gap: 8px;
  margin-top: 10px;
}
.shares {
  margin: 14px 0 0;
  padding: 0;
  list-style: none;
}
.shares li {
  display: flex;
  gap: 10px;
  align-items: baseline;
  padding: 4px 0;
  border-top: 1px solid var(--rule);
}
.words {
  flex: 1;
}
.fault {
  color: var(--brick);
}
</style>
