// what unit tests in Node have in place of a page: a database in memory, and a browser that tells nothing of itself
require('fake-indexeddb/auto');
if (!('navigator' in globalThis)) Object.assign(globalThis, { navigator: {} });
