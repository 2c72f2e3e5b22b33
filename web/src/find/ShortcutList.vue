<script setup lang="ts">
// What the keyboard can do, and where.
import { ElDialog } from 'element-plus'

const isOpen = defineModel<boolean>({ required: true })
const SHORTCUTS = [
  [
    'anywhere',
    [
      ['Ctrl K', 'find or do'],
      ['?', 'this list'],
      ['Alt P', 'plans'],
      ['Alt U', 'runs'],
      ['Alt I', 'pipelines'],
      ['Alt T', 'targets'],
      ['Alt G', 'generators'],
    ],
  ],
  [
    'a plan',
    [
      ['Ctrl S', 'commit'],
      ['Alt 1 … 4', 'text, form, edits, history'],
      ['Alt R', 'rehearse'],
      ['Ctrl Z, Ctrl Shift Z', 'undo and redo, in text and form alike'],
      ['Escape, then Tab', 'leave the text: within it, Tab indents'],
      ['Ctrl Space', 'complete'],
      ['Ctrl F', 'search'],
      ['Ctrl Shift [', 'fold'],
      ['F8', 'the next problem'],
      ['F2', 'rename at the cursor, with all uses'],
    ],
  ],
  ['the load', [['Tab to a handle, arrow keys', 'change length or rate']]],
  [
    'a run',
    [
      ['arrow keys', 'move the cursor'],
      ['Shift and arrow keys', 'select a time range'],
      ['Escape', 'clear the time range'],
      ['M', 'put a mark at the cursor'],
    ],
  ],
  ['a rehearsal', [['↑ ↓ in the list', 'step by step']]],
] as const
</script>

<template>
  <ElDialog v-model="isOpen" title="Shortcuts" width="560">
    <div v-for="[place, keys] in SHORTCUTS" :key="place" class="place">
      <h2>{{ place }}</h2>
      <dl>
        <template v-for="[key, words] in keys" :key="key">
          <dt>
            <kbd>{{ key }}</kbd>
          </dt>
          <dd>{{ words }}</dd>
        </template>
      </dl>
    </div>
  </ElDialog>
</template>

<style scoped>
.place {
  display: grid;
  grid-template-columns: 90px 1fr;
  padding: 6px 0;
  border-top: 1px solid var(--rule);
}
dl {
  display: grid;
  grid-template-columns: 190px 1fr;
  gap: 3px 10px;
  margin: 0;
}
dd {
  margin: 0;
}
kbd {
  font: 600 12px var(--mono);
}
</style>
