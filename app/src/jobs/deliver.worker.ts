import './flac-code';
import * as Comlink from 'comlink';
import { DeliverJob, type DeliveryJob } from './deliver';

const job = {
  begin: (asked: DeliveryJob): DeliverJob & Comlink.ProxyMarked => Comlink.proxy(new DeliverJob(asked)),
};
export type DeliverWorker = typeof job;

Comlink.expose(job);
