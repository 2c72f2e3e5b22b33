// The projects of the server, and what runs now.
import { defineStore } from 'pinia'
import { ref } from 'vue'
import { api } from '../api/client.js'
import type { Project, RunSummary } from '../api/types.js'

export const useProjects = defineStore('projects', () => {
  const projects = ref<Project[]>([])
  const line = ref<RunSummary[]>([])

  async function load(): Promise<void> {
    projects.value = (await api.projects()).projects
  }

  async function loadLine(): Promise<void> {
    line.value = (await api.line()).runs
  }

  return { projects, line, load, loadLine }
})
