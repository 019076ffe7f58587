import { ref } from 'vue'
import { answered, api, session, type Schemas } from '@/api/client'

/** Who is signed in; null until it is known. */
export const me = ref<Schemas['Me'] | null>(null)
const NOBODY: Schemas['Me'] = { signed_in: false, name: '', role: '', grants: [], words: '', csrf_token: '', demo: false, first: false, second_factor: false, provider: '', by_provider: false }

export async function ask() {
  me.value = await answered(api.GET('/api/me')).catch(() => NOBODY)
  session.csrf_token = me.value.csrf_token
}
session.ended = () => {
  session.csrf_token = ''
  ask()
}
export async function leave() {
  await answered(api.POST('/api/sign-out'))
  await ask()
}
const ROLES = ['viewer', 'engineer', 'administrator']
export const may = (role: string) => ROLES.indexOf(me.value?.role ?? '') >= ROLES.indexOf(role)
