<script setup lang="ts">
// Handles on the load strip: the end of a phase is its length, its level is its rate. They go by pointer and by arrow
// keys.
import type { Phase } from '@jolt-gate/core'
import { useDebounceFn } from '@vueuse/core'
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
const emit = defineEmits<{
  length: [phase: Phase, seconds: number]
  rate: [phase: Phase, from: number, to: number]
  /** What a phase would be where the handle is held now, or nothing once it is let go. */
  held: [phase: Phase | undefined]
}>()

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
const dragged = ref<{ handle: Handle; fromX: number; fromY: number; perX: number; perY: number }>()

function begin(handle: Handle, event: PointerEvent): void {
  if (event.target instanceof Element) event.target.setPointerCapture(event.pointerId)
  // The picture is drawn anew while a handle is held: its scale goes by how it was when it was taken.
  const { secondsPerPixel: perX, ratePerPixel: perY } = props
  dragged.value = { handle, fromX: event.clientX, fromY: event.clientY, perX, perY }
}
function phaseAt(event: PointerEvent): Phase | undefined {
  const drag = dragged.value
  if (drag === undefined) return undefined
  const [dx, dy] = [event.clientX - drag.fromX, event.clientY - drag.fromY]
  const by = drag.handle.kind === 'length' ? dx * drag.perX : -dy * drag.perY
  return dx === 0 && dy === 0 ? undefined : changedBy(drag.handle, by)
}
function drag(event: PointerEvent): void {
  if (dragged.value !== undefined) emit('held', phaseAt(event))
}
function end(event: PointerEvent): void {
  const phase = phaseAt(event)
  const kind = dragged.value?.handle.kind
  dragged.value = undefined
  emit('held', undefined)
  if (phase !== undefined) tell(phase, kind === 'length')
}
function tell(phase: Phase, isLength: boolean): void {
  if (isLength) emit('length', phase, phase.seconds)
  else if (phase.kind === 'constant') emit('rate', phase, phase.rate, phase.rate)
  else if (phase.kind === 'ramp') emit('rate', phase, phase.from, phase.to)
}
/** Lengths go by whole seconds, or tenths of a minute where they are long; rates by one, or tenths below ten. */
function changedBy({ phase, kind }: Handle, by: number): Phase {
  if (kind === 'length') {
    const step = stepOf(phase)
    return { ...phase, seconds: Math.max(1, Math.round((phase.seconds + by) / step) * step) }
  }
  const rounded = (rate: number) => Math.max(0, rate < 10 ? Math.round(rate * 10) / 10 : Math.round(rate))
  if (phase.kind === 'constant') return { ...phase, rate: Math.max(0.1, rounded(phase.rate + by)) }
  if (phase.kind !== 'ramp') return phase
  return kind === 'from' ? { ...phase, from: rounded(phase.from + by) } : { ...phase, to: rounded(phase.to + by) }
}
const stepOf = ({ seconds }: Phase) => (seconds >= 600 ? 30 : seconds >= 120 ? 5 : 1)
function press(handle: Handle, event: KeyboardEvent): void {
  const up = event.key === 'ArrowUp' || event.key === 'ArrowRight'
  const down = event.key === 'ArrowDown' || event.key === 'ArrowLeft'
  if (!up && !down) return
  event.preventDefault()
  const size = handle.kind === 'length' ? stepOf(handle.phase) : 1
  const next = changedBy(
    { ...handle, phase: pressed?.key === handle.key ? pressed.phase : handle.phase },
    up ? size : -size,
  )
  pressed = { key: handle.key, phase: next }
  emit('held', next)
  void writeSoon(next, handle.kind === 'length')
}
/** Keys come faster than a plan is read anew: each goes on from where the one before has led. */
let pressed: { key: string; phase: Phase } | undefined
const AFTER_KEYS_MS = 250
const writeSoon = useDebounceFn((phase: Phase, isLength: boolean) => {
  pressed = undefined
  emit('held', undefined)
  tell(phase, isLength)
}, AFTER_KEYS_MS)
</script>

<template>
  <g class="handles">
    <g v-for="handle in handles" :key="handle.key">
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
        @pointerup="end"
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
