import { readTake } from '@essim/core';
import { singVocal } from '@essim/demo';
import { people } from './people';
import { scoreHints, scoreSlack, scoreWholeTake } from './tuning';
const all = await people('/work/main');
const mel = all.filter(p=>p.truth.key).map(p=>({of:p.name,key:p.truth.key!,notes:p.truth.notes}));
console.table(scoreHints(mel));
const h=scoreHints(mel); const P=h.reduce((s,r)=>s+(r.planted as number),0);
console.log(h.reduce((s,r)=>s+(r.planted as number)*(r.found as number),0)/P, h.reduce((s,r)=>s+(r['false in 60 notes'] as number),0)/h.length);
for (const n of ['lead','harmony'] as const) {
  const v = singVocal(n); const r=readTake(v.samples, v.truth.sampleRate);
  console.table([await scoreSlack(n, r)]);
}
for (const p of all.slice(0,8)) { const r=readTake(p.samples,p.sampleRate); console.table([await scoreSlack(p.name,r), ...(await scoreWholeTake(p.name,r)).slice(1,3)]);}
