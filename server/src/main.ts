import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import compression from 'compression';
import express, { type ErrorRequestHandler } from 'express';
import helmet from 'helmet';

const root = fileURLToPath(new URL('../..', import.meta.url));
const DIST = join(root, 'app/dist');
const DEMO = join(root, 'demo/.cache');
const port = Number(process.env.PORT ?? 4173);

if (!Number.isInteger(port) || port < 0 || port > 65535)
  stop(`PORT must be a number from 0 to 65535, not "${process.env.PORT}".`);
if (!existsSync(join(DIST, 'index.html'))) stop('The app is not built yet: run npm start.');

const app = express();
app.disable('x-powered-by');
app.use(
  helmet({
    contentSecurityPolicy: {
      directives: {
        defaultSrc: ["'self'"],
        scriptSrc: ["'self'", "'wasm-unsafe-eval'", 'blob:'],
        workerSrc: ["'self'", 'blob:'],
        styleSrc: ["'self'", "'unsafe-inline'"],
        imgSrc: ["'self'", 'data:', 'blob:'],
        connectSrc: ["'self'", 'data:', 'blob:'],
        upgradeInsecureRequests: null,
      },
    },
    // together these two let the page share memory with its workers
    crossOriginOpenerPolicy: { policy: 'same-origin' },
    crossOriginEmbedderPolicy: { policy: 'require-corp' },
    strictTransportSecurity: false,
  }),
);
/** What a page of ours may ask the browser for: a microphone to record, a keyboard to play. */
const ALLOWED = ['microphone', 'midi'];
const DENIED = [
  'camera',
  'geolocation',
  'display-capture',
  'usb',
  'serial',
  'hid',
  'bluetooth',
  'payment',
  'gyroscope',
];
const permissions = [...ALLOWED.map(p => `${p}=(self)`), ...DENIED.map(p => `${p}=()`)].join(', ');
app.use((_req, res, next) => {
  res.setHeader('Permissions-Policy', permissions);
  next();
});
app.use(compression({ filter: (req, res) => !req.path.endsWith('.wav') && compression.filter(req, res) }));
app.use('/demo', express.static(DEMO, { maxAge: 0 }));
app.use('/demo', (_req, res) => void res.status(404).type('text').send('no such demo file'));
app.use('/assets', express.static(join(DIST, 'assets'), { immutable: true, maxAge: '1y' }));
app.use(express.static(DIST, { maxAge: 0 }));
app.get(/^\/(song\/.*)?$/, (_req, res) => void res.sendFile(join(DIST, 'index.html')));
app.use((_req, res) => void res.status(404).type('text').send('not found'));
// an address that cannot be read is the asker's fault, and none of our inside is told
const refused: ErrorRequestHandler = (error: { status?: number }, _req, res, next) => {
  if (res.headersSent) return next(error);
  const status = error.status && error.status < 500 ? error.status : 500;
  res
    .status(status)
    .type('text')
    .send(status === 500 ? 'something went wrong' : 'this address cannot be read');
};
app.use(refused);

const server = app.listen(port, error => {
  if (error) {
    const taken = (error as NodeJS.ErrnoException).code === 'EADDRINUSE';
    stop(
      taken
        ? `Port ${port} is taken. Choose another: PORT=4174 npm start`
        : `The server could not start: ${error.message}`,
    );
  }
  const address = server.address();
  console.log(`Essim is ready at http://localhost:${typeof address === 'object' && address ? address.port : port}`);
});

function stop(message: string): never {
  console.error(message);
  process.exit(1);
}
