import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import compression from 'compression';
import express from 'express';
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
app.use(compression({ filter: (req, res) => !req.path.endsWith('.wav') && compression.filter(req, res) }));
app.use('/demo', express.static(DEMO, { maxAge: 0 }));
app.use('/demo', (_req, res) => void res.status(404).type('text').send('no such demo file'));
app.use('/assets', express.static(join(DIST, 'assets'), { immutable: true, maxAge: '1y' }));
app.use(express.static(DIST, { maxAge: 0 }));
app.get(/^\/(song\/.*)?$/, (_req, res) => void res.sendFile(join(DIST, 'index.html')));
app.use((_req, res) => void res.status(404).type('text').send('not found'));

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
