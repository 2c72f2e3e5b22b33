<script setup lang="ts">
// Saves a text as a commit: its message, and the button.
import { ElButton, ElInput } from 'element-plus'

defineProps<{ disabled: boolean; busy?: boolean }>()
defineEmits<{ commit: [] }>()
const message = defineModel<string>({ required: true })
</script>

<template>
  <form class="commit" @submit.prevent="$emit('commit')">
    <ElInput v-model="message" aria-label="Commit message" placeholder="Commit message" />
    <ElButton type="primary" native-type="submit" :loading="busy" :disabled="disabled || message.trim() === ''"
      >Commit</ElButton
    >
  </form>
</template>

<style scoped>
.commit {
  display: flex;
  gap: 10px;
  padding-top: 10px;
}
</style>
