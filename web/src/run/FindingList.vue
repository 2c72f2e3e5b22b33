<script setup lang="ts">
// What stands out in a run, and how it would have felt to users; a finding selects the seconds that it is about.
import {
  evidenceWords,
  findingsOf,
  recoveryWords,
  type ResultFinding,
  type ResultImpact,
  type TimeRange,
} from '@jolt-gate/core'
import { ElButton } from 'element-plus'
import { computed, ref } from 'vue'

const props = defineProps<{ findings: ResultFinding[]; impact: ResultImpact | undefined; isLive: boolean }>()
defineEmits<{ pick: [range: TimeRange] }>()
const all = computed(() => findingsOf(props))
/** The one whose evidence and further steps are shown. */
const opened = ref<number>()
const rangeOf = ({ fromMs, toMs }: ResultFinding): TimeRange => ({
  fromSecond: Math.floor(fromMs / 1000),
  toSecond: Math.ceil(toMs / 1000),
})
const sureWords = ({ confidence }: ResultFinding) =>
  confidence >= 1 ? 'counted' : `${(100 * confidence).toFixed(confidence > 0.99 ? 1 : 0)} % sure`
</script>

<template>
  <section class="explained" aria-label="Impact and findings">
    <div v-if="impact?.grade" class="impact">
      <h2>Impact</h2>
      <span>
        <b :class="impact.grade">{{ impact.grade }}</b>
        <template v-if="recoveryWords(impact)">, {{ recoveryWords(impact) }}</template>
      </span>
    </div>
    <h2>Findings</h2>
    <p v-if="all.length === 0" class="soft">{{ isLive ? 'Nothing stands out so far.' : 'Nothing stands out.' }}</p>
    <article
      v-for="(finding, index) in all"
      :key="`${finding.kind} ${finding.text}`"
      class="finding"
      :class="finding.severity"
    >
      <h3>
        {{ finding.title }} <span class="soft severity">{{ finding.severityWords }}</span>
      </h3>
      <p class="soft">
        {{ finding.text }} <span v-if="finding.tryNext[0]" class="try">{{ finding.tryNext[0] }}</span>
      </p>
      <template v-if="opened === index">
        <ul v-if="finding.tryNext.length > 1" class="more">
          <li v-for="one in finding.tryNext.slice(1)" :key="one">{{ one }}</li>
        </ul>
        <dl>
          <template v-for="one in evidenceWords(finding.evidence)" :key="one.label">
            <dt>{{ one.label }}</dt>
            <dd>{{ one.value }}</dd>
          </template>
        </dl>
      </template>
      <div class="verbs">
        <ElButton v-if="finding.toMs > finding.fromMs" link @click="$emit('pick', rangeOf(finding))">
          Show on the chart
        </ElButton>
        <ElButton link :aria-expanded="opened === index" @click="opened = opened === index ? undefined : index">
          {{ opened === index ? 'Less' : 'Evidence' }}
        </ElButton>
        <span class="soft sure">{{ sureWords(finding) }}</span>
      </div>
    </article>
  </section>
</template>

<style scoped>
.explained {
  display: grid;
  gap: 8px;
  padding-top: 12px;
}
h2,
h3 {
  margin: 0;
  font-size: 13px;
}
p {
  margin: 0;
  font-size: 12.5px;
  line-height: 1.4;
}
.impact {
  display: flex;
  gap: 10px;
  justify-content: space-between;
  padding-bottom: 8px;
  border-bottom: 1px solid var(--rule);
}
.impact span {
  text-align: right;
}
.steady {
  color: var(--lake);
}
.strained {
  color: var(--ochre-text);
}
.failing,
.lost {
  color: var(--brick);
}
.finding {
  display: grid;
  gap: 3px;
  padding-left: 9px;
  border-left: 3px solid var(--faint);
}
.problem {
  border-color: var(--brick);
}
.warning {
  border-color: var(--ochre);
}
.try {
  color: var(--lake);
}
.more {
  margin: 0;
  padding-left: 16px;
  color: var(--lake);
  font-size: 12.5px;
}
dl {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 1px 10px;
  margin: 4px 0;
  font-size: 12px;
}
dt {
  color: var(--soft);
}
dd {
  margin: 0;
  max-width: 150px;
  text-align: right;
  overflow-wrap: anywhere;
}
.verbs {
  display: flex;
  gap: 12px;
  align-items: baseline;
}
.verbs .el-button {
  margin: 0;
  font-size: 12px;
}
.severity {
  font-weight: 400;
  font-size: 11.5px;
}
h3 {
  display: flex;
  gap: 8px;
  align-items: baseline;
  justify-content: space-between;
}
.sure {
  white-space: nowrap;
  margin-left: auto;
  font-size: 11.5px;
}
</style>
