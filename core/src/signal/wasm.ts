/** Machine code of our own (core/wasm): what is used of WebAssembly, which every page, worker and worklet has, but which the core's library of types does not name. */
interface WebAssemblyApi {
  Module: new (bytes: Uint8Array) => object;
  Memory: new (size: { initial: number }) => { buffer: ArrayBuffer };
  Instance: new (module: object, imports: object) => { exports: unknown };
}

const PAGE = 65536;
const api = () => (globalThis as unknown as { WebAssembly: WebAssemblyApi }).WebAssembly;
const modules = new Map<string, object>();

/** Memory of at least so many bytes with the functions of some code at work on it. @param code bytes in hexadecimal */
export function runOn<T>(code: string, bytes: number): { functions: T; buffer: ArrayBuffer } {
  let module = modules.get(code);
  if (!module) {
    module = new (api().Module)(Uint8Array.from(code.match(/../g)!, pair => parseInt(pair, 16)));
    modules.set(code, module);
  }
  const memory = new (api().Memory)({ initial: Math.ceil(bytes / PAGE) });
  return { functions: new (api().Instance)(module, { env: { memory } }).exports as T, buffer: memory.buffer };
}
