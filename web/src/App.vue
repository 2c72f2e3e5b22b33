<script setup lang="ts">
// The frame around every page: who is signed in, the bar, the theme, and what the keyboard can do anywhere.
import { useEventListener } from '@vueuse/core'
import { computed, onMounted, ref, watchEffect } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { wordsOf } from './api/client.js'
import FindOrDo from './find/FindOrDo.vue'
import ShortcutList from './find/ShortcutList.vue'
import FrameBar from './frame/FrameBar.vue'
import SharedBar from './frame/SharedBar.vue'
import PageError from './frame/PageError.vue'
import SignInPage from './people/SignInPage.vue'
import { useProjects } from './stores/projects.js'
import { useSession } from './stores/session.js'
import { isDark, turnTheme } from './styles/theme.js'

const route = useRoute()
const router = useRouter()
const session = useSession()
const projects = useProjects()
const fault = ref('')
/** Whether the server is away. */
const isAway = ref(false)
const isFinding = ref(false)
const showsShortcuts = ref(false)
const project = computed(() => Number(route.params['project']) || projects.projects[0]?.id)

async function load(): Promise<void> {
  fault.value = ''
  await session.load().catch((error: unknown) => (fault.value = wordsOf(error)))
}
onMounted(load)

/** Pages are loaded when they are first opened: without the server one stays where one is, and hears why. */
const unloaded = ref<string>()
router.onError((_error, to) => {
  unloaded.value = to.fullPath
})
router.afterEach((_to, _from, failure) => {
  if (failure === undefined) unloaded.value = undefined
})

watchEffect(() => {
  document.documentElement.dataset['theme'] = isDark.value ? 'dark' : 'light'
})

function act(name: string): void {
  if (name === 'theme') turnTheme()
  if (name === 'shortcuts') showsShortcuts.value = true
  if (name === 'sign out') void session.signOut()
}
const AREAS: Record<string, string> = { p: 'plans', u: 'runs', i: 'pipelines', t: 'targets', g: 'generators' }
useEventListener('keydown', (event) => {
  if (session.person === undefined) return
  if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'k') {
    event.preventDefault()
    isFinding.value = !isFinding.value
    return
  }
  const isTyping =
    event.target instanceof HTMLElement && event.target.closest('input, textarea, select, .cm-editor') !== null
  if (event.key === '?' && !isTyping) showsShortcuts.value = true
  const area = event.altKey && !event.ctrlKey ? AREAS[event.key.toLowerCase()] : undefined
  if (area !== undefined && project.value !== undefined) {
    event.preventDefault()
    void router.push({ name: area, params: { project: project.value } })
  }
})
</script>

<template>
  <div v-if="route.name === 'shared'" class="app">
    <SharedBar />
    <main class="page"><RouterView /></main>
  </div>
  <PageError v-else-if="fault" title="The application could not start" :detail="fault" @again="load()" />
  <SignInPage v-else-if="session.session && session.session.kind !== 'somebody'" />
  <div v-else-if="session.person" class="app">
    <FrameBar
      @find="isFinding = true"
      @theme="act('theme')"
      @sign-out="act('sign out')"
      @away="(now) => (isAway = now)"
    />
    <p v-if="isAway" class="away" role="status">
      The server cannot be reached: what stands here may be old. It is read again by itself.
    </p>
    <main class="page" :class="{ old: isAway }">
      <PageError
        v-if="unloaded !== undefined"
        title="The page could not be loaded"
        detail="The server does not answer. Is it running?"
        @again="router.push(unloaded)"
      />
      <RouterView />
    </main>
    <FindOrDo v-model="isFinding" :project="project" @act="act" />
    <ShortcutList v-model="showsShortcuts" />
  </div>
</template>

<style scoped>
.app {
  display: flex;
  flex-direction: column;
  height: 100%;
}
.away {
  flex: none;
  padding: 6px 16px;
  background: var(--ochre-light);
}
.old {
  filter: grayscale(1) opacity(0.7);
}
.page {
  flex: 1;
  min-height: 0;
  overflow: auto;
}
</style>
