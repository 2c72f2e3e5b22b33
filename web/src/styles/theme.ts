// Light or dark: as the system has it, or as the person chose.
import { useLocalStorage, usePreferredDark } from '@vueuse/core'
import { computed } from 'vue'

const wanted = useLocalStorage<'light' | 'dark' | 'system'>('jolt-gate-theme', 'system')
const prefersDark = usePreferredDark()

export const isDark = computed(() => (wanted.value === 'system' ? prefersDark.value : wanted.value === 'dark'))

export function turnTheme(): void {
  wanted.value = isDark.value ? 'light' : 'dark'
}
