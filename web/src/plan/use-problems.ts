// What is wrong with a plan, in its text and in its form, and the way to each place: also to a file beside the plan.
import type { Problem } from '@jolt-gate/core'
import { computed, ref, type Ref } from 'vue'
import type { FormFaults } from './form/use-faults.js'
import type { PlanView } from './plan.worker.js'

interface ProblemsOptions {
  file: Ref<string>
  view: Ref<PlanView | undefined>
  faults: FormFaults
  pick: (line: number, column: number) => void
  /** Shows the form of what stands on a line. */
  showForm: (line: number) => void
}

export function useProblems({ file, view, faults, pick, showForm }: ProblemsOptions) {
  /** Those of the text, and what is typed in the form and not in the text yet. */
  const problems = computed(() => [...faults.problems.value, ...(view.value?.problems ?? [])])
  /** A file beside the plan that is looked at, such as shared steps. */
  const other = ref<{ file: string; line: number }>()

  function pickProblem(problem: Problem): void {
    if (problem.code === 'FORM') showForm(problem.line)
    else if (problem.file === file.value) pick(problem.line, problem.column)
    else other.value = { file: problem.file, line: problem.line }
  }
  return { problems, other, pickProblem }
}
