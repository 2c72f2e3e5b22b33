// The projects of the server, and what runs now.
import { defineStore } from 'pinia'
import { ref } from 'vue'
import { api } from '../api/client.js'
import type { Project, RunSummary } from '../api/types.js'

export const useProjects = defineStore('projects', () => {
  const projects = ref<Project[]>([])
  const queue = ref<RunSummary[]>([])

  async function load(): Promise<void> {
    projects.value = (await api.projects()).projects
  }

  async function loadQueue(): Promise<void> {
    queue.value = (await api.queue()).runs
  }

  return { projects, queue, load, loadQueue }
})
