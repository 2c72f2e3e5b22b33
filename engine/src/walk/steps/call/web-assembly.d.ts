// The part of the WebAssembly JavaScript Interface (W3C) that is used here; Node has it, and its types lack it.
declare namespace WebAssembly {
  class Memory {
    constructor(pages: { initial: number; maximum: number })
    readonly buffer: ArrayBuffer
  }
}
