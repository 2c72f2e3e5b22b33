<script setup lang="ts">
// A new name for what stands at the cursor, with all its uses.
import { ElButton, ElDialog, ElInput } from 'element-plus'
import { ref, watch } from 'vue'
import type { Named } from './named-at.js'
import { takeCursor } from '../forms/take-cursor.js'

const props = defineProps<{ named: Named | undefined }>()
const emit = defineEmits<{ rename: [to: string]; close: [] }>()
const name = ref('')
watch(
  () => props.named,
  (next) => (name.value = next?.name ?? ''),
)
</script>

<template>
  <ElDialog
    :model-value="named !== undefined"
    :title="`Rename the ${named?.kind ?? ''}, with all its uses`"
    width="420"
    @open-auto-focus="takeCursor()"
    @opened="takeCursor()"
    @close="$emit('close')"
  >
    <form class="rename" @submit.prevent="emit('rename', name.trim())">
      <ElInput v-model="name" aria-label="New name" autofocus />
      <ElButton type="primary" native-type="submit" :disabled="name.trim() === '' || name === named?.name"
        >Rename</ElButton
      >
    </form>
  </ElDialog>
</template>

<style scoped>
.rename {
  display: flex;
  gap: 10px;
}
</style>
