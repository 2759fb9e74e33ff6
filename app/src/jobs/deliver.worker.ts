import * as Comlink from 'comlink';
import { DeliverJob, type DeliveryFormat } from './deliver';

const job = {
  begin(
    sampleRate: number,
    length: number,
    format: DeliveryFormat,
    dither: boolean,
    stems: boolean,
  ): DeliverJob & Comlink.ProxyMarked {
    return Comlink.proxy(new DeliverJob(sampleRate, length, format, dither, stems));
  },
};
export type DeliverWorker = typeof job;

Comlink.expose(job);
