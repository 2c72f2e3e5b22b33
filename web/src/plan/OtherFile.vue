<script setup lang="ts">
// A file that the plan takes something from, such as shared steps: to be read beside the plan, and changed in Git.
import { ElButton } from 'element-plus'
import { computed, nextTick, ref, watch } from 'vue'

const props = defineProps<{ file: string; text: string | undefined; line: number }>()
defineEmits<{ close: [] }>()

const MOST_LINES = 5000
const lines = computed(() => (props.text ?? '').split('\n').slice(0, MOST_LINES))
const list = ref<HTMLElement>()
watch(
  () => [props.file, props.line, lines.value.length],
  () => nextTick(() => list.value?.querySelector('.here')?.scrollIntoView({ block: 'center' })),
  { immediate: true },
)
</script>

<template>
  <section class="other" :aria-label="`Content of ${file}`">
    <div class="head">
      <code>{{ file }}</code>
      <span class="soft">read-only here: change it in the repository</span>
      <ElButton size="small" @click="$emit('close')">Back to the plan</ElButton>
    </div>
    <p v-if="text === undefined" class="soft">The repository has no such file.</p>
    <ol v-else ref="list" class="mono">
      <li v-for="(one, index) in lines" :key="index" :class="{ here: index + 1 === line }">{{ one || ' ' }}</li>
    </ol>
  </section>
</template>

<style scoped>
.other {
  height: 100%;
  padding: 10px 0;
  overflow: auto;
}
.head {
  display: flex;
  gap: 14px;
  align-items: center;
  padding: 0 16px 8px;
}
.head .el-button {
  margin-left: auto;
}
ol {
  margin: 0;
  padding-left: 56px;
  font-size: 12.5px;
  line-height: 1.55;
}
li {
  padding-left: 8px;
  white-space: pre;
}
li::marker {
  color: var(--faint);
}
.here {
  background: var(--lake-light);
  box-shadow: inset 3px 0 var(--lake);
}
</style>
