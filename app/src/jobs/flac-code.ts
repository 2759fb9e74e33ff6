import code from 'libflacjs/dist/libflac.wasm.wasm?url';

// where the FLAC codec finds its machine code, in workers that pack or unpack with it
Object.assign(globalThis, { FLAC_SCRIPT_LOCATION: { 'libflac.wasm.wasm': code } });
