// Which lanes a run's page shows: those of its address, else those of the plan's view, else all that the run has.
import { lanesText, readLanes, type LaneSpec, type SeriesOf } from '@jolt-gate/core'
import type { LaneView } from '@jolt-gate/core/api'
import { computed, type Ref } from 'vue'
import { defaultLanes } from './lane-charts.js'
import type { RunPicture } from './run.worker.js'

/**
 * @param written - the lanes of the address; empty where it names none
 * @param views - the sets of lanes of the project
 */
export function useLanes(written: Ref<string>, view: Ref<RunPicture | undefined>, planView: Ref<LaneView | undefined>) {
  // By their text: a view that is another one, with the same lanes, draws none of them anew.
  const text = computed(() => {
    const asked = readLanes(written.value || (planView.value?.lanes ?? ''))
    if (asked.length > 0) return lanesText(asked)
    return view.value === undefined ? '' : lanesText(defaultLanes(view.value))
  })
  const lanes = computed((): LaneSpec[] => readLanes(text.value))
  const series = computed((): SeriesOf[] => lanes.value.flatMap((lane) => (lane.kind === 'own' ? lane.series : [])))

  function change(next: readonly LaneSpec[]): void {
    written.value = lanesText(next)
  }
  const at = (index: number) => lanes.value[index]
  return {
    lanes,
    series,
    add(added: readonly SeriesOf[]): void {
      change([...lanes.value, { kind: 'own', series: added, isTall: false }])
    },
    remove(index: number): void {
      change(lanes.value.filter((_, other) => other !== index))
    },
    turn(index: number): void {
      change(lanes.value.map((lane, other) => (other === index ? { ...lane, isTall: !lane.isTall } : lane)))
    },
    move(index: number, by: -1 | 1): void {
      const [one, other] = [at(index), at(index + by)]
      if (one === undefined || other === undefined) return
      change(lanes.value.map((lane, place) => (place === index ? other : place === index + by ? one : lane)))
    },
    show(text: string): void {
      written.value = text
    },
  }
}
export type LaneChange = 'turn' | 'up' | 'down' | 'remove' | 'png'
