<script setup lang="ts">
// Your tokens; for administrators, people and the audit log.
import { ElButton, ElInput } from 'element-plus'
import { onMounted, ref } from 'vue'
import { api, wordsOf } from '../api/client.js'
import type { AuditEvent, Person, Role, Scope, TokenLine } from '@jolt-gate/core/api'
import { useSession } from '../stores/session.js'

const store = useSession()
const tokens = ref<TokenLine[]>([])
const people = ref<Person[]>([])
const events = ref<AuditEvent[]>([])
const fault = ref('')
const shown = ref('')
const SCOPES = [
  ['read', 'read plans, runs and reports'],
  ['write', 'change plans and targets'],
  ['run', 'rehearse and run'],
  ['git', 'clone, pull and push with Git'],
  ['admin', 'what administrators may: people, projects, secrets, approvals'],
] as const satisfies readonly (readonly [Scope, string])[]
const inDays = (days: number) => new Date(Date.now() + days * 86_400_000).toISOString().slice(0, 10)
const token = ref<{ label: string; scopes: Scope[]; until: string }>({ label: '', scopes: ['read'], until: inDays(90) })
const person = ref<{ name: string; email: string; password: string; role: Role }>({
  name: '',
  email: '',
  password: '',
  role: 'author',
})

async function load(): Promise<void> {
  tokens.value = (await api.tokens()).tokens
  if (!store.isAdministrator) return
  people.value = (await api.people()).people
  events.value = (await api.auditLog()).events
}
async function act(work: () => Promise<unknown>): Promise<void> {
  fault.value = ''
  try {
    await work()
    await load()
  } catch (error) {
    fault.value = wordsOf(error)
  }
}
onMounted(() => act(() => Promise.resolve()))

const make = () =>
  act(async () => {
    shown.value = (await api.createToken(token.value)).token
    token.value.label = ''
  })
const add = () =>
  act(async () => {
    await api.addPerson(person.value)
    person.value = { name: '', email: '', password: '', role: 'author' }
  })
const roleFrom = (event: Event): Role => {
  const value = event.target instanceof HTMLSelectElement ? event.target.value : ''
  return value === 'administrator' || value === 'reader' ? value : 'author'
}
const day = (instant: string) => instant.slice(0, 10)
</script>

<template>
  <div class="people">
    <section>
      <h1>{{ store.person?.name }}</h1>
      <p class="soft">{{ store.person?.email }} · {{ store.person?.role }}</p>
      <p v-if="fault" class="fault" role="alert">{{ fault }}</p>
      <h2>Personal tokens</h2>
      <p class="soft">
        For pipelines and for Git. A token is the password of <code>git clone</code>; the name before it does not
        matter.
      </p>
      <div v-if="shown" class="shown" role="status">
        Shown once: copy it now.<code>{{ shown }}</code>
        <button class="link" type="button" @click="shown = ''">Done</button>
      </div>
      <table class="table">
        <thead>
          <tr>
            <th>for</th>
            <th>may</th>
            <th>until</th>
            <th>last used</th>
            <th></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="one in tokens" :key="one.id">
            <td>{{ one.label }}</td>
            <td>{{ one.scopes.join(', ') }}</td>
            <td>{{ day(one.expiresAt) }}</td>
            <td>{{ one.usedAt === null ? 'never' : day(one.usedAt) }}</td>
            <td><button class="link" type="button" @click="act(() => api.revokeToken(one.id))">revoke</button></td>
          </tr>
          <tr v-if="tokens.length === 0">
            <td colspan="5" class="soft">No tokens yet</td>
          </tr>
        </tbody>
      </table>
      <form class="row" @submit.prevent="make">
        <ElInput
          v-model="token.label"
          aria-label="What the token is for"
          placeholder="pipeline of the booking service"
        />
        <label class="until">until <input v-model="token.until" class="field" type="date" aria-label="Until" /></label>
        <span class="scopes">
          <label v-for="[scope, words] in SCOPES" :key="scope" :title="words">
            <input v-model="token.scopes" type="checkbox" :value="scope" /> {{ scope }}
          </label>
        </span>
        <ElButton native-type="submit" :disabled="token.label === '' || token.scopes.length === 0"
          >Create token</ElButton
        >
      </form>
      <template v-if="store.isAdministrator">
        <h2>People</h2>
        <table class="table">
          <tbody>
            <tr v-for="one in people" :key="one.id">
              <td>{{ one.name }}</td>
              <td class="soft">{{ one.email }}</td>
              <td>
                <select
                  class="field"
                  :value="one.role"
                  :aria-label="`Role of ${one.name}`"
                  @change="act(() => api.changeRole(one.id, roleFrom($event)))"
                >
                  <option>reader</option>
                  <option>author</option>
                  <option>administrator</option>
                </select>
              </td>
              <td>
                <button class="link" type="button" @click="act(() => api.removePerson(one.id))">remove</button>
              </td>
            </tr>
          </tbody>
        </table>
        <form class="row" @submit.prevent="add">
          <ElInput v-model="person.name" aria-label="Name of the person" placeholder="Name" />
          <ElInput v-model="person.email" aria-label="Email of the person" placeholder="Email" />
          <ElInput
            v-model="person.password"
            type="password"
            aria-label="Initial password"
            placeholder="Initial password"
            autocomplete="new-password"
          />
          <select v-model="person.role" class="field" aria-label="Role">
            <option>reader</option>
            <option>author</option>
            <option>administrator</option>
          </select>
          <ElButton native-type="submit" :disabled="person.name === '' || person.email === ''">Add</ElButton>
        </form>
      </template>
    </section>
    <section v-if="store.isAdministrator" class="audit-log">
      <h2>Audit log</h2>
      <p class="soft">Who did what, newest first. Entries are never removed.</p>
      <ol>
        <li v-for="event in events" :key="event.id">
          <span class="soft">{{ event.at.slice(0, 16).replace('T', ' ') }}</span>
          <span
            ><b>{{ event.who }}</b> {{ event.event }} <span class="soft">{{ event.detail }}</span></span
          >
        </li>
      </ol>
    </section>
  </div>
</template>

<style scoped>
.people {
  display: grid;
  grid-template-columns: minmax(0, 3fr) minmax(320px, 2fr);
  gap: 40px;
  padding: 14px 16px;
}
section > h2 {
  padding: 22px 0 6px;
}
.row {
  display: flex;
  gap: 10px;
  align-items: center;
  padding-top: 10px;
}
.scopes {
  display: flex;
  gap: 10px;
  white-space: nowrap;
}
.until {
  white-space: nowrap;
}
.shown {
  display: grid;
  gap: 6px;
  margin: 8px 0;
  padding: 10px 12px;
  border-left: 4px solid var(--ochre);
  background: var(--ochre-light);
  color: var(--ink);
}
.audit-log ol {
  margin: 8px 0 0;
  padding: 0;
  list-style: none;
}
.audit-log li {
  display: grid;
  grid-template-columns: 118px minmax(0, 1fr);
  gap: 10px;
  padding: 5px 0;
  border-top: 1px solid var(--rule);
  overflow-wrap: anywhere;
}
</style>
