<script setup lang="ts">
// The file of a pipeline: its stages by form or as text, saved as a commit.
import { useQuery } from '@tanstack/vue-query'
import { ElButton, ElInput, ElPopconfirm } from 'element-plus'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, wordsOf } from '../api/client.js'
import CommitRow from '../forms/CommitRow.vue'
import PageError from '../frame/PageError.vue'
import PageHead from '../frame/PageHead.vue'
import { useUnsaved } from '../frame/use-unsaved.js'
import FileEditor from '../plan/form/FileEditor.vue'
import { useMay } from '../stores/may.js'
import StageList from './StageList.vue'
import { newPipeline } from './pipeline-picture.js'
import { useReading } from './use-reading.js'

const [route, router] = [useRoute(), useRouter()]
const project = computed(() => Number(route.params['project']))
const may = useMay(() => project.value)
const asked = computed(() => String(route.query['file'] ?? ''))
const name = ref('release')
const file = computed(() => asked.value || `pipelines/${name.value || 'new'}.pipeline.yaml`)
const { data, error, refetch } = useQuery({
  queryKey: ['pipeline file', project, file],
  queryFn: () => api.pipelineText(project.value, file.value),
})
const files = computed(() => data.value?.files ?? {})
const text = ref('')
/** What the text was when it was read: what is typed is not written over by what comes later. */
const before = ref('')
const base = ref<string | null>(null)
watch(data, (read) => {
  if (read === undefined || (text.value !== before.value && text.value !== '')) return
  base.value = read.base
  text.value = read.text ?? newPipeline(name.value, Object.keys(read.files))
  before.value = text.value
})
// Another file, after what was typed for this one was given up.
watch(asked, () => {
  text.value = before.value = ''
})
const { reading, isCurrent } = useReading(file, text, files)
const problems = computed(() => reading.value.problems)
const isChanged = computed(() => text.value !== before.value)
const message = ref('')
const fault = ref('')
const isBusy = ref(false)
async function acting(task: () => Promise<unknown>): Promise<void> {
  fault.value = ''
  isBusy.value = true
  try {
    await task()
    before.value = text.value
    await router.push({ name: 'pipelines', params: { project: project.value } })
  } catch (problem) {
    fault.value = wordsOf(problem)
  }
  isBusy.value = false
}
const save = () =>
  acting(() =>
    api.savePipeline(project.value, file.value, { text: text.value, message: message.value, base: base.value }),
  )
const remove = () => acting(() => api.removeFile(project.value, file.value))
useUnsaved({
  what: 'pipeline',
  isChanged: () => isChanged.value,
  keeps: (to, from) => to.name === from.name && to.query['file'] === from.query['file'],
})
</script>

<template>
  <div class="padded">
    <PageHead :title="asked ? reading.pipeline.name || 'Pipeline' : 'New pipeline'">
      <label v-if="!asked" class="name">File name <ElInput v-model="name" placeholder="release" /></label>
      <code class="soft">{{ file }}</code>
      <RouterLink :to="{ name: 'pipelines', params: { project } }">Pipelines</RouterLink>
      <template v-if="asked && may.mayWrite" #end>
        <ElPopconfirm
          :title="`Delete ${file}? It goes in a commit of its own; what was run stays.`"
          confirm-button-text="Delete"
          width="280"
          @confirm="remove()"
        >
          <template #reference><ElButton link type="danger">Delete</ElButton></template>
        </ElPopconfirm>
      </template>
    </PageHead>
    <PageError
      v-if="error && !data"
      title="The pipeline could not be read"
      :detail="wordsOf(error)"
      @again="refetch()"
    />
    <p v-else-if="!data" class="soft">Loading the pipeline…</p>
    <div v-else class="desk">
      <section>
        <FileEditor
          v-model="text"
          context="pipeline"
          label="Text of the pipeline"
          :without="['jolt']"
          :file="file"
          :problems="problems"
          :project="project"
          :may-write="may.mayWrite"
          :files="Object.keys(files)"
        />
      </section>
      <aside>
        <h2>Stages</h2>
        <StageList :stages="reading.pipeline.stages" />
        <h2>Problems</h2>
        <p v-if="problems.length === 0" class="soft">none</p>
        <p v-for="one in problems" :key="`${one.line}:${one.message}`" class="fault">
          {{ one.line }}:{{ one.column }} {{ one.message }}
        </p>
        <CommitRow
          v-if="may.mayWrite"
          v-model="message"
          :busy="isBusy"
          :disabled="(asked !== '' && !isChanged) || !isCurrent || reading.hasErrors"
          @commit="save()"
        />
        <p v-if="fault" class="fault" role="alert">{{ fault }}</p>
      </aside>
    </div>
  </div>
</template>

<style scoped>
.name {
  display: flex;
  gap: 8px;
  align-items: center;
}
.desk {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 330px;
  gap: 24px;
}
@media (width < 1000px) {
  .desk {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
