// node scripts/wasm.mjs: compiles core/wasm to the machine code that ships in core/src/signal/*-code.ts.
import { readFileSync, writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { main } from 'assemblyscript/asc';

const at = path => fileURLToPath(new URL(`../${path}`, import.meta.url));

async function compiled(name) {
  const source = `${name}.as.ts`;
  let code;
  const { error, stderr } = await main(
    [source, '--enable', 'simd', '-O3', '--runtime', 'stub', '--importMemory', '--noExportMemory', '-o', 'o'],
    {
      readFile: file => (file === source ? readFileSync(at(`core/wasm/${source}`), 'utf8') : null),
      writeFile: (_, contents) => void (code = contents),
      listFiles: () => [],
    },
  );
  if (error) throw new Error(`${error.message}\n${stderr}`);
  const hex = Buffer.from(code).toString('hex');
  return `/** Compiled from core/wasm/${source} by scripts/wasm.mjs; bytes in hexadecimal. */\nexport const ${name.toUpperCase()}_CODE =\n  '${hex}';\n`;
}

for (const name of ['transform', 'single']) {
  const text = await compiled(name);
  if (process.argv[2] === '--print') process.stdout.write(text);
  else writeFileSync(at(`core/src/signal/${name}-code.ts`), text);
}
