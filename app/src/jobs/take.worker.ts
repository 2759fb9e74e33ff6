import * as Comlink from 'comlink';
import { LayerShelf } from '@essim/core';
import { TakeJob } from './take-job';

/** Takes share workers: a song of many tracks has no more of them than the machine can run at a time. */
export class TakeHost {
  private readonly shelf = new LayerShelf();

  begin(): TakeJob & Comlink.ProxyMarked {
    return Comlink.proxy(new TakeJob(this.shelf));
  }
}

Comlink.expose(new TakeHost());
