<script setup lang="ts">
// The file has changed elsewhere while it was open here: both texts are there, and the person chooses.
import { ElButton } from 'element-plus'
defineProps<{
  isDirty: boolean
  /** Lines that both changed; none where the two go together as they are. */
  conflicts: number
  /** Who changed it, and when. */
  who: string
}>()
defineEmits<{ compare: []; mine: []; theirs: []; merge: [] }>()
</script>

<template>
  <div class="conflict" role="alert">
    <b>{{ who === '' ? 'This file changed on disk' : `${who} changed this file` }}</b> Your text is kept.
    <ElButton v-if="isDirty" link @click="$emit('merge')">{{
      conflicts === 0 ? 'Merge both' : `Merge both: choose at ${conflicts} ${conflicts === 1 ? 'place' : 'places'}…`
    }}</ElButton>
    <ElButton link @click="$emit('compare')">Compare</ElButton>
    <ElButton link @click="$emit('theirs')"> Take theirs{{ isDirty ? ' (undo brings mine back)' : '' }} </ElButton>
    <ElButton v-if="isDirty" link @click="$emit('mine')">Keep mine</ElButton>
  </div>
</template>

<style scoped>
.conflict {
  display: flex;
  flex: none;
  gap: 16px;
  padding: 8px 16px;
  background: var(--ochre-light);
  color: var(--ink);
}
</style>
