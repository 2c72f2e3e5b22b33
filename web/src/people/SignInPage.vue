<script setup lang="ts">
// Nobody is signed in: the demo by one click, a person by name, or the first administrator of all.
import { ElButton, ElForm, ElFormItem, ElInput } from 'element-plus'
import { computed, ref } from 'vue'
import { object, string } from 'yup'
import { api, wordsOf } from '../api/client.js'
import { useChecked } from '../forms/use-checked.js'
import { useSession } from '../stores/session.js'
import WhatItIs from './WhatItIs.vue'

const store = useSession()
const isFirst = computed(() => store.session?.kind === 'first')
const hasPasswords = computed(() => store.session?.kind !== 'signed out' || store.session.hasPasswords)
const provider = computed(() => (store.session?.kind === 'signed out' ? store.session.provider : null))
/** Why the provider's way in ended here. */
const refused = new URLSearchParams(window.location.search).get('refused') ?? ''
const isDemo = computed(() => store.session !== undefined && store.session.kind !== 'somebody' && store.session.isDemo)

const SIGN_IN = object({
  email: string().trim().required('enter your email'),
  password: string().required('enter your password'),
})
const SIGN_UP = SIGN_IN.shape({
  name: string().trim().required('enter your name'),
  email: string().trim().required('enter your email').email('this is not an email address'),
  code: string().trim().required('enter the setup code that the server printed when it started'),
})
const { values, faults, fault, isBusy, send } = useChecked(
  isFirst.value ? SIGN_UP : SIGN_IN,
  () => ({ name: '', email: '', password: '', code: '' }),
  async (entered) => {
    store.become(await (isFirst.value ? api.signUpFirst(entered) : api.signIn(entered.email, entered.password)))
  },
)
const demoFault = ref('')
const isEntering = ref(false)
async function enterDemo(): Promise<void> {
  demoFault.value = ''
  isEntering.value = true
  await api.signInToDemo().then(store.become, (error: unknown) => (demoFault.value = wordsOf(error)))
  isEntering.value = false
}
</script>

<template>
  <header class="bar">Jolt Gate</header>
  <main class="sign-in">
    <WhatItIs class="what" />
    <div class="ways">
      <section v-if="isDemo">
        <h2>Larkholm Ferries, the demo</h2>
        <p class="soft">
          An invented ferry operator, its booking service and their load tests. You sign in as Ida Quay, an
          administrator; from this machine only.
        </p>
        <p v-if="demoFault" class="fault" role="alert">{{ demoFault }}</p>
        <ElButton type="primary" size="large" :loading="isEntering" @click="enterDemo()">Enter the demo</ElButton>
      </section>
      <section v-if="provider">
        <h2>Sign in with {{ provider }}</h2>
        <p v-if="refused" class="fault" role="alert">{{ refused }}</p>
        <ElButton type="primary" size="large" tag="a" href="/api/session/provider">Continue to {{ provider }}</ElButton>
      </section>
      <section v-if="hasPasswords || isFirst">
        <h2 v-if="isFirst">{{ isDemo ? 'Or create your own administrator' : 'The first administrator' }}</h2>
        <h2 v-else>{{ isDemo ? 'Or sign in' : provider ? 'Or by password' : 'Sign in' }}</h2>
        <p v-if="isFirst" class="soft">
          No account exists yet. The first one is an administrator, who adds people, projects and secrets.
        </p>
        <ElForm class="form" label-position="top" @submit.prevent="send()">
          <ElFormItem v-if="isFirst" label="Name" :error="faults.name ?? ''">
            <ElInput v-model="values.name" aria-label="Name" autocomplete="name" />
          </ElFormItem>
          <ElFormItem label="Email" :error="faults.email ?? ''">
            <ElInput v-model="values.email" aria-label="Email" type="email" autocomplete="username" />
          </ElFormItem>
          <ElFormItem label="Password" :error="faults.password ?? ''">
            <ElInput
              v-model="values.password"
              aria-label="Password"
              type="password"
              show-password
              :autocomplete="isFirst ? 'new-password' : 'current-password'"
            />
          </ElFormItem>
          <ElFormItem
            v-if="isFirst"
            label="Setup code, printed where the server was started"
            :error="faults.code ?? ''"
          >
            <ElInput
              v-model="values.code"
              aria-label="Setup code, printed where the server was started"
              autocomplete="off"
              placeholder="XXXX-XXXX-XXXX"
            />
          </ElFormItem>
          <p v-if="fault" class="fault" role="alert">{{ fault }}</p>
          <ElButton :type="isDemo || provider ? 'default' : 'primary'" native-type="submit" :loading="isBusy">
            {{ isFirst ? 'Create account' : 'Sign in' }}
          </ElButton>
        </ElForm>
      </section>
    </div>
  </main>
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
  display: grid;
  grid-template-columns: minmax(0, 620px) minmax(320px, 380px);
  gap: 72px;
  padding: 48px 64px;
}
.ways {
  display: grid;
  gap: 36px;
  align-content: start;
}
section {
  display: grid;
  gap: 12px;
  justify-items: start;
}
.form {
  width: 100%;
}
h2 {
  font-size: 15px;
}
</style>
