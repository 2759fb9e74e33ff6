import * as Comlink from 'comlink';
import { DeliverJob, type DeliveredAs, type DeliveryFormat } from './deliver';

const job = {
  begin(
    sampleRate: number,
    length: number,
    format: DeliveryFormat,
    dither: boolean,
    as: DeliveredAs,
  ): DeliverJob & Comlink.ProxyMarked {
    return Comlink.proxy(new DeliverJob(sampleRate, length, format, dither, as));
  },
};
export type DeliverWorker = typeof job;

Comlink.expose(job);
