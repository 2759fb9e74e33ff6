import type { Page } from 'puppeteer-core';

/** What one would hear just now. */
export interface Heard {
  /** Root mean square of the last tenth of a second. */
  level: number;
  /** Pitch of it, Hz; 0 where there is none. */
  hz: number;
}

interface Listened extends Window {
  essimEars?: { analyser: AnalyserNode; rate: number };
}

/** Listens to all that goes to the speakers. Must come before the first sound. */
export async function listenIn(page: Page): Promise<void> {
  await page.evaluate(() => {
    const w = window as Listened;
    const connect = AudioNode.prototype.connect as (this: AudioNode, ...to: unknown[]) => AudioNode;
    AudioNode.prototype.connect = function (this: AudioNode, ...to: unknown[]) {
      if (to[0] instanceof AudioDestinationNode) {
        const context = this.context as AudioContext;
        if (w.essimEars?.analyser.context !== context) {
          w.essimEars = { analyser: context.createAnalyser(), rate: context.sampleRate };
          w.essimEars.analyser.fftSize = 16384;
          // only what leads to the speakers is worked out
          const mute = context.createGain();
          mute.gain.value = 0;
          connect.call(w.essimEars.analyser, mute);
          connect.call(mute, to[0]);
        }
        connect.call(this, w.essimEars.analyser);
      }
      return connect.call(this, ...to);
    } as typeof AudioNode.prototype.connect;
  });
}

/** What is heard now; silence while nothing has sounded yet. */
export const hear = (page: Page): Promise<Heard> =>
  page.evaluate(() => {
    const ears = (window as Listened).essimEars;
    if (!ears) return { level: 0, hz: 0 };
    const all = new Float32Array(16384);
    ears.analyser.getFloatTimeDomainData(all);
    const x = all.subarray(16384 - 4800);
    const power = x.reduce((s, v) => s + v * v, 0);
    let best = 0;
    let lag = 0;
    for (let d = Math.round(ears.rate / 1000); d < ears.rate / 70; d++) {
      let r = 0;
      let p = 1e-9;
      let q = 1e-9;
      for (let i = 0; i + d < x.length; i++) {
        r += x[i] * x[i + d];
        p += x[i] * x[i];
        q += x[i + d] * x[i + d];
      }
      const match = r / Math.sqrt(p * q);
      // the first lag that is as good as any longer one
      if (match > best + 0.02) [best, lag] = [match, d];
    }
    return { level: Math.sqrt(power / x.length), hz: best > 0.7 ? ears.rate / lag : 0 };
  });
