<script setup lang="ts">
// Nobody is signed in: the demo by one click, a person by name, or the first administrator of all.
import { ElButton, ElInput } from 'element-plus'
import { computed, ref } from 'vue'
import { api, wordsOf } from '../api/client.js'
import type { Session } from '@jolt-gate/core/api'
import { useSession } from '../stores/session.js'

const store = useSession()
const form = ref({ name: '', email: '', password: '', code: '' })
const fault = ref('')
const isBusy = ref(false)
const isFirst = computed(() => store.session?.kind === 'first')
const provider = computed(() => (store.session?.kind === 'nobody' ? store.session.provider : null))
/** Why the provider's way in ended here. */
const refused = new URLSearchParams(window.location.search).get('refused') ?? ''
const isDemo = computed(() => store.session !== undefined && store.session.kind !== 'somebody' && store.session.isDemo)

async function attempt(act: () => Promise<Session>): Promise<void> {
  fault.value = ''
  isBusy.value = true
  try {
    store.become(await act())
  } catch (error) {
    fault.value = wordsOf(error)
  }
  isBusy.value = false
}
const enter = () =>
  attempt(() => (isFirst.value ? api.signUpFirst(form.value) : api.signIn(form.value.email, form.value.password)))
</script>

<template>
  <header class="bar">Jolt Gate</header>
  <div class="sign-in">
    <div v-if="isDemo" class="demo">
      <h1>Larkholm Ferries, the demo</h1>
      <p class="soft">
        An invented ferry operator, its booking service and their load tests. You sign in as Ida Quay, an administrator;
        from this machine only.
      </p>
      <ElButton type="primary" size="large" :loading="isBusy" @click="attempt(api.signInToDemo)"
        >Enter the demo</ElButton
      >
    </div>
    <div v-if="provider" class="demo">
      <h1>Sign in with {{ provider }}</h1>
      <p v-if="refused" class="fault" role="alert">{{ refused }}</p>
      <ElButton type="primary" size="large" tag="a" href="/api/session/provider">Continue to {{ provider }}</ElButton>
    </div>
    <form class="form" @submit.prevent="enter">
      <h1 v-if="isFirst">{{ isDemo ? 'Or create your own administrator' : 'The first administrator' }}</h1>
      <h1 v-else>{{ isDemo ? 'Or sign in' : provider ? 'Or by password' : 'Sign in' }}</h1>
      <p v-if="isFirst" class="soft">
        No account exists yet. The first one is an administrator, who adds people, projects and secrets.
      </p>
      <label v-if="isFirst">Name<ElInput v-model="form.name" autocomplete="name" /></label>
      <label>Email<ElInput v-model="form.email" type="email" autocomplete="username" /></label>
      <label>
        Password
        <ElInput
          v-model="form.password"
          type="password"
          :autocomplete="isFirst ? 'new-password' : 'current-password'"
        />
      </label>
      <label v-if="isFirst">
        Setup code, printed where the server was started
        <ElInput v-model="form.code" autocomplete="off" placeholder="XXXX-XXXX-XXXX" />
      </label>
      <p v-if="fault" class="fault" role="alert">{{ fault }}</p>
      <ElButton
        :type="isDemo || provider ? 'default' : 'primary'"
        native-type="submit"
        :loading="isBusy"
        :disabled="form.email === '' || form.password === ''"
      >
        {{ isFirst ? 'Create account' : 'Sign in' }}
      </ElButton>
    </form>
  </div>
</template>

<style scoped>
.bar {
  padding: 11px 64px;
  background: var(--bar);
  color: #fff;
  font-size: 15.5px;
  font-weight: 650;
}
.sign-in {
  display: flex;
  gap: 72px;
  align-items: flex-start;
  padding: 72px 64px;
}
.demo,
.form {
  display: grid;
  gap: 14px;
  width: 380px;
  justify-items: start;
}
label {
  display: grid;
  gap: 4px;
  width: 100%;
}
</style>
