// A form that Yup checks: what is entered, what is wrong with each field once somebody has tried to send it, and what
// the server said.
import { ref, watch, type Ref } from 'vue'
import { ValidationError, type AnyObject, type ObjectSchema } from 'yup'
import { wordsOf } from '../api/client.js'

export interface Checked<T extends AnyObject> {
  values: Ref<T>
  /** By field, in words. */
  faults: Ref<Partial<Record<keyof T, string>>>
  /** What the server refused, in its words. */
  fault: Ref<string>
  isBusy: Ref<boolean>
  /** Sends what was entered when it is right, and empties the form when that went well. */
  send: () => Promise<void>
  empty: () => void
}

export function useChecked<T extends AnyObject>(
  schema: ObjectSchema<AnyObject>,
  fresh: () => T,
  act: (values: T) => Promise<unknown>,
): Checked<T> {
  const values = ref(fresh()) as Ref<T>
  const faults = ref({}) as Checked<T>['faults']
  const [fault, isBusy, wasTried] = [ref(''), ref(false), ref(false)]

  function check(): boolean {
    try {
      schema.validateSync(values.value, { abortEarly: false })
      faults.value = {}
      return true
    } catch (error) {
      if (!(error instanceof ValidationError)) throw error
      const found: Record<string, string> = {}
      for (const { path = '', message } of error.inner) found[path] ??= message
      faults.value = found as Partial<Record<keyof T, string>>
      return false
    }
  }
  watch(
    values,
    () => {
      if (wasTried.value) check()
    },
    { deep: true },
  )

  function empty(): void {
    wasTried.value = false
    faults.value = {}
    fault.value = ''
    values.value = fresh()
  }
  async function send(): Promise<void> {
    wasTried.value = true
    fault.value = ''
    if (!check()) return
    isBusy.value = true
    try {
      await act(values.value)
      empty()
    } catch (error) {
      fault.value = wordsOf(error)
    }
    isBusy.value = false
  }
  return { values, faults, fault, isBusy, send, empty }
}
