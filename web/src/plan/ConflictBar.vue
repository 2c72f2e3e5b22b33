<script setup lang="ts">
// The file has changed elsewhere while it was open here: both texts are there, and the person chooses.
import { ElButton } from 'element-plus'
defineProps<{ isDirty: boolean; canMerge: boolean }>()
defineEmits<{ compare: []; mine: []; theirs: []; merge: [] }>()
</script>

<template>
  <div class="conflict" role="alert">
    <b>This file changed elsewhere</b>, on disk or in another window. Your text is kept.
    <ElButton v-if="canMerge" link @click="$emit('merge')">Merge both</ElButton>
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
