<script setup lang="ts">
// A request: method and address, then its parts in tabs, and what came back in the last rehearsal.
import { CONTEXTS, nodeAt, textAt, type Path } from '@jolt-gate/core'
import { ElOption, ElSelect, ElTabPane, ElTabs } from 'element-plus'
import { computed, inject, ref } from 'vue'
import BodyForm from './BodyForm.vue'
import FormField from './FormField.vue'
import FormText from './FormText.vue'
import { BODIES } from './bodies.js'
import { aboutOf, labelOf } from './labels.js'
import PartHead from './PartHead.vue'
import ResponsePicker from './ResponsePicker.vue'
import { PLAN_FORM } from './use-form.js'
import ValuesKnown from './ValuesKnown.vue'

const props = defineProps<{ path: Path; hasNoResponse?: boolean }>()
const form = inject(PLAN_FORM)
const METHODS = ['GET', 'POST', 'PUT', 'PATCH', 'DELETE', 'HEAD', 'OPTIONS']
const { keys } = CONTEXTS.send
const tab = ref('body')

const node = computed(() => nodeAt(form?.tree.value ?? undefined, props.path))
const line = computed(() => nodeAt(form?.tree.value ?? undefined, [...props.path, 'send'])?.line ?? 0)
const request = computed(() => {
  const [method = 'GET', ...address] = (textAt(node.value, ['send']) ?? '').split(' ')
  return { method, address: address.join(' ') }
})
const name = computed(() => textAt(node.value, ['name']) ?? '')
const count = (key: string): string => {
  const part = nodeAt(node.value, [key])
  if (part === undefined || part.kind === 'scalar') return part === undefined ? '' : ' 1'
  return ` ${String(part.kind === 'list' ? part.items.length : part.entries.length)}`
}
const body = computed(() => BODIES.find(({ key }) => nodeAt(node.value, [key]) !== undefined))
const signIn = computed(() => {
  const auth = nodeAt(node.value, ['auth'])
  return auth?.kind === 'map' ? ` ${auth.entries.map(({ key }) => key).join(', ')}` : ''
})
const MORE = ['redirects', 'http', 'on failure', 'refresh'] as const
const mores = computed(() => MORE.filter((key) => key !== 'refresh' || props.path[0] === 'setup'))
const moreCount = computed(() => mores.value.filter((key) => nodeAt(node.value, [key]) !== undefined).length)

/** What no key says is the format's own default: nothing takes the key out. */
function set(key: string, value: string): void {
  const path = [...props.path, key]
  if (value.trim() !== '') form?.edit({ kind: 'set', path, value })
  else if (nodeAt(node.value, [key]) !== undefined) form?.edit({ kind: 'remove', path })
}
const setRequest = (method: string, address: string) => {
  set('send', `${method} ${address.trim() === '' ? '/' : address.trim()}`)
}
</script>

<template>
  <PartHead
    :path="path"
    title="Request"
    :name="name"
    :is-off="textAt(node, ['off']) === 'yes'"
    @rename="name === '' ? set('name', $event) : form?.rename('step', name, $event)"
  />
  <div class="request">
    <ElSelect
      class="method"
      :model-value="request.method"
      aria-label="Method"
      filterable
      allow-create
      default-first-option
      @change="setRequest(String($event), request.address)"
    >
      <ElOption v-for="method in METHODS" :key="method" :value="method" />
    </ElSelect>
    <FormText
      :text="request.address"
      label="Address"
      :line="line"
      :shape="keys['send']!.shape"
      @set="setRequest(request.method, $event)"
    />
    <label class="timeout">
      <span class="soft">Timeout</span>
      <FormText
        :text="textAt(node, ['timeout']) ?? ''"
        label="Timeout"
        placeholder="30s"
        :line="nodeAt(node, ['timeout'])?.line ?? 0"
        :shape="keys['timeout']!.shape"
        @set="set('timeout', $event)"
      />
    </label>
  </div>
  <ElTabs v-model="tab" class="parts">
    <ElTabPane name="parameters" :label="`Parameters${count('query') || count('with')}`">
      <template v-for="key in ['query', 'with'] as const" :key="key">
        <h3 :title="aboutOf('send', key)">{{ labelOf(key) }}</h3>
        <FormField :path="[...path, key]" :shape="keys[key]!.shape" :name="labelOf(key)" />
      </template>
    </ElTabPane>
    <ElTabPane name="headers" :label="`Headers${count('headers')}`">
      <FormField :path="[...path, 'headers']" :shape="keys['headers']!.shape" name="Headers" />
    </ElTabPane>
    <ElTabPane name="sign-in" :label="`Sign-in${signIn}`">
      <FormField :path="[...path, 'auth']" :shape="keys['auth']!.shape" name="Sign-in" />
    </ElTabPane>
    <ElTabPane name="body" :label="`Body${body === undefined ? '' : ` ${body.label}`}`">
      <div class="beside">
        <BodyForm :path="path" />
        <ValuesKnown />
      </div>
    </ElTabPane>
    <ElTabPane name="checks" :label="`Checks${count('check')}`">
      <FormField :path="[...path, 'check']" :shape="keys['check']!.shape" name="Check" />
    </ElTabPane>
    <ElTabPane name="kept" :label="`Kept values${count('keep')}`">
      <FormField :path="[...path, 'keep']" :shape="keys['keep']!.shape" name="Kept value" />
    </ElTabPane>
    <ElTabPane name="more" :label="`More${moreCount === 0 ? '' : ` ${String(moreCount)}`}`">
      <div v-for="key in mores" :key="key" class="row">
        <span class="soft" :title="aboutOf('send', key)">{{ labelOf(key) }}</span>
        <ElSelect
          v-if="keys[key]!.shape.kind === 'words'"
          :model-value="textAt(node, [key]) ?? ''"
          :aria-label="labelOf(key)"
          clearable
          placeholder="default"
          @change="set(key, String($event ?? ''))"
        >
          <ElOption
            v-for="word in keys[key]!.shape.kind === 'words' ? keys[key]!.shape.words : []"
            :key="word"
            :value="word"
          />
        </ElSelect>
        <FormText
          v-else
          :text="textAt(node, [key]) ?? ''"
          :label="labelOf(key)"
          :placeholder="key === 'redirects' ? '5' : ''"
          :line="nodeAt(node, [key])?.line ?? 0"
          @set="set(key, $event)"
        />
      </div>
    </ElTabPane>
  </ElTabs>
  <ResponsePicker v-if="!hasNoResponse" :step="name" :path="path" />
</template>

<style scoped>
.request {
  display: grid;
  grid-template-columns: 104px minmax(0, 1fr) 150px;
  gap: 8px;
  align-items: start;
}
.timeout {
  display: flex;
  gap: 8px;
  align-items: center;
}
.parts {
  padding-top: 6px;
}
.beside {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(140px, 210px);
  gap: 16px;
}
h3 {
  padding: 6px 0;
  font-size: 12px;
}
.row {
  display: grid;
  grid-template-columns: 180px minmax(0, 240px);
  gap: 10px;
  align-items: center;
  padding: 4px 0;
}
</style>
