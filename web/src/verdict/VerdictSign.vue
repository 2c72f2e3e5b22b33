<script setup lang="ts">
// The sign of a verdict, never by colour alone: a barrier raised, lowered and striped, dashed, or half way.
import type { Verdict } from '@jolt-gate/core'

defineProps<{
  verdict: Verdict | 'going' | 'held' | 'breached' | 'undecided' | 'unmeasured'
  size?: 'small' | 'large'
}>()
</script>

<template>
  <svg class="sign" :class="size ?? 'small'" viewBox="0 0 60 36" role="img" :aria-label="verdict">
    <path class="post" d="M4 34V10h8v24zM1 33h18v3H1z" />
    <g v-if="verdict === 'open' || verdict === 'held'"><path class="arm lake" d="M10 14 34 0" /></g>
    <g v-else-if="verdict === 'shut' || verdict === 'breached'">
      <path class="arm brick" d="M10 13H58" />
      <path class="stripes" d="M22 13h6M34 13h6M46 13h6" />
    </g>
    <g v-else-if="verdict === 'stopped'"><path class="arm soft" d="M10 14 50 6" /></g>
    <g v-else-if="verdict === 'going'"><path class="arm ochre" d="M10 14 44 3" /></g>
    <g v-else><path class="arm dashed" d="M10 13H58" /></g>
  </svg>
</template>

<style scoped>
.sign {
  flex: none;
  overflow: visible;
}
.small {
  width: 20px;
  height: 12px;
}
.large {
  width: 60px;
  height: 36px;
}
.post {
  fill: var(--ink);
}
.arm {
  stroke-width: 7;
}
.lake {
  stroke: var(--lake);
}
.brick {
  stroke: var(--brick);
}
.soft {
  stroke: var(--soft);
}
.ochre {
  stroke: var(--ochre);
}
.dashed {
  stroke: var(--ink);
  stroke-width: 4;
  stroke-dasharray: 7 5;
}
.stripes {
  stroke: var(--sheet);
  stroke-width: 7;
}
</style>
