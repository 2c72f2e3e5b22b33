// The projects of the server.
import { defineStore } from 'pinia'
import { ref } from 'vue'
import { api } from '../api/client.js'
import type { Project } from '@jolt-gate/core/api'

export const useProjects = defineStore('projects', () => {
  const projects = ref<Project[]>([])

  async function load(): Promise<void> {
    projects.value = (await api.projects()).projects
  }

  return { projects, load }
})
