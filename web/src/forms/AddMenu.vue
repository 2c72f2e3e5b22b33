<script setup lang="ts">
// A button that offers what can be added.
import { ElButton, ElDropdown, ElDropdownItem, ElDropdownMenu } from 'element-plus'

defineProps<{ label: string; items: readonly { value: string; label: string }[] }>()
defineEmits<{ add: [value: string] }>()
</script>

<template>
  <ElDropdown class="add" trigger="click" max-height="320px" @command="(value: string) => $emit('add', value)">
    <ElButton size="small">{{ label }}…</ElButton>
    <template #dropdown>
      <ElDropdownMenu>
        <ElDropdownItem v-for="item in items" :key="item.value" :command="item.value">{{ item.label }}</ElDropdownItem>
      </ElDropdownMenu>
    </template>
  </ElDropdown>
</template>
