/** Machine code of our own (core/wasm): what is used of WebAssembly, which every page, worker and worklet has, but which the core's library of types does not name. */
interface WebAssemblyApi {
  Module: new (bytes: Uint8Array) => object;
  Memory: new (size: { initial: number }) => { buffer: ArrayBuffer };
  Instance: new (module: object, imports: object) => { exports: unknown };
}

const PAGE = 65536;
const api = () => (globalThis as unknown as { WebAssembly: WebAssemblyApi }).WebAssembly;
const modules = new Map<string, object>();

/**
 * A section nobody reads, other in every thread. Browsers let a thread that compiles the very bytes another compiles wait for that one,
 * which is for ever where the other is a worker that is ended meanwhile.
 */
const ownSection = (): number[] => {
  const name = Array.from({ length: 12 }, () => 97 + Math.floor(26 * Math.random()));
  return [0, 1 + name.length, name.length, ...name];
};

/** Memory of at least so many bytes with the functions of some code at work on it. @param code bytes in hexadecimal */
export function runOn<T>(code: string, bytes: number): { functions: T; buffer: ArrayBuffer } {
  let module = modules.get(code);
  if (!module) {
    const bytes = code.match(/../g)!.map(pair => parseInt(pair, 16));
    module = new (api().Module)(Uint8Array.from([...bytes, ...ownSection()]));
    modules.set(code, module);
  }
  const memory = new (api().Memory)({ initial: Math.ceil(bytes / PAGE) });
  return { functions: new (api().Instance)(module, { env: { memory } }).exports as T, buffer: memory.buffer };
}
