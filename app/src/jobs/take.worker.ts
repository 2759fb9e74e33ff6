import * as Comlink from 'comlink';
import { TakeJob } from './take-job';

/** Takes share workers: a song of many tracks has no more of them than the machine can run at a time. */
export class TakeHost {
  begin(): TakeJob & Comlink.ProxyMarked {
    return Comlink.proxy(new TakeJob());
  }
}

Comlink.expose(new TakeHost());
