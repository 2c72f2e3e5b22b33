<script setup lang="ts">
// Handles on the load strip: the end of a phase is its length, its level is its rate. They go by pointer and by arrow
// keys.
import type { Phase } from '@jolt-gate/core'
import { computed, ref } from 'vue'

const props = defineProps<{
  phases: Phase[]
  /** Where each phase begins and ends, in seconds, by its name. */
  places: { name: string; fromSeconds: number; toSeconds: number }[]
  x: (seconds: number) => number
  y: (rate: number) => number
  /** Seconds and rate of one pixel. */
  secondsPerPixel: number
  ratePerPixel: number
}>()
const emit = defineEmits<{ length: [phase: Phase, seconds: number]; rate: [phase: Phase, from: number, to: number] }>()

interface Handle {
  key: string
  phase: Phase
  kind: 'length' | 'from' | 'to' | 'level'
  x: number
  y: number
  label: string
}
const handles = computed(() =>
  props.phases
    .filter(({ ladder, kind }) => ladder === null && kind !== 'iterations')
    .flatMap((phase): Handle[] => {
      const place = props.places.find(({ name }) => name === phase.name)
      if (place === undefined) return []
      const end = props.x(place.toSeconds)
      const at = (kind: Handle['kind'], x: number, y: number, label: string): Handle => ({
        key: `${phase.name} ${kind}`,
        phase,
        kind,
        x,
        y,
        label,
      })
      const length = at('length', end, 13, `Length of ${phase.name}`)
      if (phase.kind === 'constant')
        return [
          length,
          at('level', (props.x(place.fromSeconds) + end) / 2, props.y(phase.rate), `Rate of ${phase.name}`),
        ]
      if (phase.kind === 'ramp')
        return [
          length,
          at('from', props.x(place.fromSeconds) + 6, props.y(phase.from), `First rate of ${phase.name}`),
          at('to', end - 6, props.y(phase.to), `Last rate of ${phase.name}`),
        ]
      return [length]
    }),
)
const dragged = ref<{ handle: Handle; fromX: number; fromY: number; dx: number; dy: number }>()
const shift = (handle: Handle) => {
  const drag = dragged.value
  if (drag === undefined || drag.handle.key !== handle.key) return ''
  return handle.kind === 'length' ? `translate(${String(drag.dx)} 0)` : `translate(0 ${String(drag.dy)})`
}

function begin(handle: Handle, event: PointerEvent): void {
  if (event.target instanceof Element) event.target.setPointerCapture(event.pointerId)
  dragged.value = { handle, fromX: event.clientX, fromY: event.clientY, dx: 0, dy: 0 }
}
function drag(event: PointerEvent): void {
  if (dragged.value === undefined) return
  dragged.value = { ...dragged.value, dx: event.clientX - dragged.value.fromX, dy: event.clientY - dragged.value.fromY }
}
function end(): void {
  const drag = dragged.value
  dragged.value = undefined
  if (drag === undefined || (drag.dx === 0 && drag.dy === 0)) return
  if (drag.handle.kind === 'length') change(drag.handle, drag.dx * props.secondsPerPixel)
  else change(drag.handle, -drag.dy * props.ratePerPixel)
}
/** Lengths go by whole seconds, or tenths of a minute where they are long; rates by one, or tenths below ten. */
function change({ phase, kind }: Handle, by: number): void {
  if (kind === 'length') {
    const step = phase.seconds >= 600 ? 30 : phase.seconds >= 120 ? 5 : 1
    emit('length', phase, Math.max(1, Math.round((phase.seconds + by) / step) * step))
    return
  }
  const rounded = (rate: number) => Math.max(0, rate < 10 ? Math.round(rate * 10) / 10 : Math.round(rate))
  if (phase.kind === 'constant')
    emit('rate', phase, Math.max(0.1, rounded(phase.rate + by)), Math.max(0.1, rounded(phase.rate + by)))
  if (phase.kind === 'ramp')
    emit(
      'rate',
      phase,
      kind === 'from' ? rounded(phase.from + by) : phase.from,
      kind === 'to' ? rounded(phase.to + by) : phase.to,
    )
}
function press(handle: Handle, event: KeyboardEvent): void {
  const up = event.key === 'ArrowUp' || event.key === 'ArrowRight'
  const down = event.key === 'ArrowDown' || event.key === 'ArrowLeft'
  if (!up && !down) return
  event.preventDefault()
  const size = handle.kind === 'length' ? (handle.phase.seconds >= 600 ? 30 : handle.phase.seconds >= 120 ? 5 : 1) : 1
  change(handle, up ? size : -size)
}
</script>

<template>
  <g class="handles">
    <g v-for="handle in handles" :key="handle.key" :transform="shift(handle)">
      <rect
        class="handle"
        :class="handle.kind"
        :x="handle.x - 4"
        :y="handle.y - (handle.kind === 'length' ? 9 : 4)"
        width="8"
        :height="handle.kind === 'length' ? 18 : 8"
        rx="2"
        tabindex="0"
        role="slider"
        :aria-label="handle.label"
        :aria-valuenow="
          handle.kind === 'length'
            ? handle.phase.seconds
            : handle.phase.kind === 'constant'
              ? handle.phase.rate
              : handle.phase.kind === 'ramp'
                ? handle.kind === 'from'
                  ? handle.phase.from
                  : handle.phase.to
                : 0
        "
        @pointerdown="begin(handle, $event)"
        @pointermove="drag"
        @pointerup="end()"
        @keydown="press(handle, $event)"
      />
    </g>
  </g>
</template>

<style scoped>
.handle {
  fill: var(--sheet);
  stroke: var(--lake);
  stroke-width: 1.5;
  cursor: ns-resize;
  touch-action: none;
}
.length {
  cursor: ew-resize;
}
.handle:hover,
.handle:focus-visible {
  fill: var(--ochre);
}
</style>
