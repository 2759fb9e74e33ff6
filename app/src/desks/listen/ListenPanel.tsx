import { centreOf, noteName, STRETCH_KINDS, type Reading, type Span, type StretchKind } from '@essim/core';
import { Check, Volume2 } from 'lucide-react';
import { useEffect, useRef } from 'react';
import { clock } from '../../field/draw/ground';
import { GroupLine, KeptSelections } from '../../shell/Choosing';
import { RangeChoice } from '../../shell/RangeChoice';
import {
  asReadScope,
  CAUSES,
  cutByCause,
  cutsOfScope,
  doubtsIn,
  hearingsOf,
  hearNextWay,
  hearScopeAt,
  joinScope,
  KIND_NAMES,
  likeNeighboursScope,
  lookAt,
  octaveScope,
  removeScope,
  setScopeKind,
  type Cause,
  type ListedDoubt,
} from '../../commands/corrections';
import { currentScope, editTrackOf, editViewOf, keyAt, setEar, useParts, useSession } from '../../open-song';
import { goToDoubt } from './actions';
import { soundHearing } from './hearing';
import { useListen } from './state';
import { FirstSteps } from '../FirstSteps';

const title = 'text-[11px] font-semibold text-ink-2';

/** What is chosen, how else it can be heard, and what is doubtful. */
export function ListenPanel() {
  const track = useSession(editTrackOf);
  if (!track || track.role === 'backing')
    return <p className="p-3.5 text-ink-2">Choose a voice on the left: a backing is not read.</p>;
  return (
    <div className="flex flex-col gap-4 p-3.5">
      <FirstSteps
        id="listen"
        done={!!track?.takes.some(t => t.corrections)}
        text="What Essim heard, and where it doubts: the full stop goes to the next doubt, a click on another rail hears it so, J joins notes, a border is dragged. Nothing here changes a sample."
      />
      <Heard />
      <Doubts />
      <Cutting />
      <Kinds />
      <GroupLine />
      <KeptSelections />
      <ByEar />
      <section aria-label="Range">
        <h2 className={title}>Range the voice is looked for in</h2>
        <div className="mt-1 grid">
          <RangeChoice track={track} />
        </div>
      </section>
      <Misfits />
    </div>
  );
}

/** The chosen notes and the ways they can be heard. */
function Heard() {
  const s = useParts('history', 'views', 'editTrackId', 'selection', 'grouped', 'viewedTrackIds');
  const { notes, reading } = editViewOf(s);
  const { kind, parts } = currentScope(s);
  const chosen = kind === 'selection' || kind === 'span' ? parts : [];
  if (!chosen.length || !reading)
    return (
      <section className="card" aria-label="Heard">
        <p className="font-semibold">Nothing chosen</p>
        <p className="mt-1 text-ink-2">
          Click a note to see how else it can be heard. Drag a border to move it; drag where there is no note to add
          one. With Alt a drag chooses a stretch, also of a part of a note.
        </p>
      </section>
    );
  const [first] = chosen;
  const key = keyAt(s, first.start);
  const list = chosen.length === 1 ? hearingsOf(first, reading) : [];
  const sung = first.whole ? notes.find(n => n.key === first.key)!.sung : centreOf(reading.f0, reading.levelDb, first);
  return (
    <section className="card" aria-label="Heard">
      <div className="flex items-baseline gap-2">
        <b className="text-2xl tracking-tight">{chosen.length === 1 ? noteName(sung, key) : chosen.length}</b>
        <span className="text-ink-2 tabular-nums">
          {chosen.length === 1
            ? `${Math.round((sung - Math.round(sung)) * 100)} cents · ${(first.end - first.start).toFixed(2)} s${first.whole ? '' : ' of a note'}`
            : kind === 'span'
              ? 'notes, some in part'
              : 'notes chosen'}
        </span>
      </div>
      {list.length > 0 && (
        <ul className="mt-2" aria-label="Ways to hear it">
          {list.slice(0, 5).map(h => (
            <li key={h.midi} className="grid grid-cols-[1fr_28px] items-center gap-1">
              <button
                className={`grid grid-cols-[44px_1fr_42px] items-center gap-2 rounded px-1 py-[3px] text-left hover:bg-rule-soft ${h.now ? 'font-semibold' : ''}`}
                aria-pressed={h.now}
                data-testid={`hearing-${noteName(h.midi, null)}`}
                title={h.now ? 'Heard so now' : `Hear it as ${noteName(h.midi, key)}`}
                onClick={() => !h.now && hearScopeAt(h.midi)}
              >
                <span>{noteName(h.midi, key)}</span>
                <span className="h-1.5 overflow-hidden rounded bg-rule-soft">
                  <span
                    className={`block h-full ${h.now ? 'bg-teal' : 'bg-amber'}`}
                    style={{ width: `${h.share * 100}%` }}
                  />
                </span>
                <span className="text-right text-ink-2 tabular-nums">{Math.round(h.share * 100)} %</span>
              </button>
              <button
                className="pill icon"
                aria-label={`Hear ${noteName(h.midi, key)} as a tone`}
                title="As a tone"
                onClick={() => soundHearing(s, first, h.midi - sung)}
              >
                <Volume2 size={12} />
              </button>
            </li>
          ))}
        </ul>
      )}
      {list.length > 1 && (
        <button className="btn mt-2 w-full" onClick={hearNextWay} title="After the last comes the first again">
          The next likely way <kbd>Q</kbd>
        </button>
      )}
      <div className="mt-1.5 grid grid-cols-2 gap-1.5">
        <button className="btn" onClick={() => octaveScope(1)}>
          Octave up <kbd>O</kbd>
        </button>
        <button className="btn" onClick={() => octaveScope(-1)}>
          Down <kbd>⇧ O</kbd>
        </button>
        <button
          className="btn col-span-2"
          onClick={likeNeighboursScope}
          title="Each goes to the octave its neighbours sing in"
        >
          Like the neighbours <kbd>G</kbd>
        </button>
        <button className="btn" onClick={joinScope} title="One note of the chosen ones, or of one and the next">
          Join <kbd>J</kbd>
        </button>
        <button className="btn" onClick={removeScope} title="There is no note here">
          Take out <kbd>Del</kbd>
        </button>
        <button className="btn col-span-2" onClick={asReadScope} title="Takes every correction off them">
          As read
        </button>
      </div>
    </section>
  );
}

/** Cuts of the chosen notes by cause, shown before they are made. */
function Cutting() {
  const s = useParts('history', 'views', 'editTrackId', 'selection');
  const cuts = cutsOfScope(s);
  const show = (preview: Cause | null) => useListen.setState({ preview });
  return (
    <section aria-label="Cut by cause">
      <h2 className={title}>Cut the chosen notes by</h2>
      <div className="mt-1 grid grid-cols-2 gap-1.5">
        {(Object.keys(CAUSES) as Cause[]).map(cause => (
          <button
            key={cause}
            className="btn justify-between!"
            disabled={!cuts[cause].length}
            onPointerEnter={() => show(cause)}
            onPointerLeave={() => show(null)}
            onFocus={() => show(cause)}
            onBlur={() => show(null)}
            onClick={() => {
              cutByCause(cause);
              show(null);
            }}
          >
            {CAUSES[cause]} <span className="text-ink-2 tabular-nums">{cuts[cause].length}</span>
          </button>
        ))}
      </div>
      <p className="mt-1 text-[11.5px] text-ink-2">
        A double-click or <kbd>/</kbd> cuts at the pointer.
      </p>
    </section>
  );
}

/** What a stretch exactly is: an unpitched sound or a talked stretch that begins and ends with it. */
function kindOfSpan(span: Span, reading: Reading | null): StretchKind | null {
  const same = (q: Span) => Math.abs(q.start - span.start) < 0.006 && Math.abs(q.end - span.end) < 0.006;
  return reading?.noises.find(same)?.kind ?? (reading?.spoken.some(same) ? 'spoken' : null);
}

/** What a stretch is: of the chosen one, else of the chosen notes. */
function Kinds() {
  const s = useParts('selection', 'editTrackId', 'views');
  const mine = s.selection.trackId === s.editTrackId;
  const any = mine && (!!s.selection.span || s.selection.notes.size > 0);
  const span = mine ? s.selection.span : null;
  const now = span && kindOfSpan(span, editViewOf(s).reading);
  return (
    <section aria-label="What it is">
      <h2 className={title}>
        {span
          ? `${now ? KIND_NAMES[now] : 'Stretch'}, ${clock(span.start, 2)}, ${Math.round((span.end - span.start) * 1000)} ms: it is`
          : 'The chosen stretch is'}
      </h2>
      <div className="mt-1 flex flex-wrap gap-1">
        {STRETCH_KINDS.map((kind, i) => (
          <button
            key={kind}
            className="pill"
            disabled={!any}
            aria-pressed={now === kind}
            title={`Alt ${i + 1}`}
            onClick={() => setScopeKind(kind)}
          >
            {KIND_NAMES[kind]}
          </button>
        ))}
      </div>
      {!any && (
        <p className="mt-1 text-[11.5px] text-ink-2">
          Drag along the lane of noises to choose a stretch, or click a sound there.
        </p>
      )}
    </section>
  );
}

const EARS = [
  { id: 'off', name: 'off' },
  { id: 'beside', name: 'left, voice right' },
  { id: 'alone', name: 'alone' },
] as const;

/** The reading as a tone. */
function ByEar() {
  const ear = useSession(s => s.ear);
  return (
    <section aria-label="By ear">
      <h2 className={title}>The reading as a tone</h2>
      <div className="mt-1 flex gap-1" role="radiogroup" aria-label="Tone">
        {EARS.map(e => (
          <button key={e.id} className="pill" role="radio" aria-checked={ear === e.id} onClick={() => setEar(e.id)}>
            {e.name}
          </button>
        ))}
      </div>
    </section>
  );
}

const percent = (share: number) => `${Math.round(share * 100)} %`;

function reasonOf(d: ListedDoubt, s: ReturnType<typeof useParts>): string {
  const key = keyAt(s, d.start);
  const here = noteName(d.midi, key);
  if (d.reason === 'octave') return `${here} or ${noteName(d.other!, key)} (${percent(d.amount)})`;
  if (d.reason === 'between') return `between ${here} and ${noteName(d.other!, key)}`;
  if (d.reason === 'weak') return `${here}, weakly voiced`;
  if (d.reason === 'short') return `${here}, very short`;
  return `${here}: perhaps two notes`;
}

function Doubts() {
  const s = useParts('history', 'editTrackId', 'views');
  const doubts = useSession(doubtsIn);
  const { doubt } = useListen();
  const open = doubts.filter(d => !d.looked).length;
  const list = useRef<HTMLUListElement>(null);
  useEffect(() => {
    list.current?.querySelector('[aria-current]')?.scrollIntoView({ block: 'nearest' });
  }, [doubt]);
  return (
    <section aria-label="Doubtful spots">
      <h2 className={`${title} flex`}>
        Doubtful spots
        <span className="ml-auto font-normal tabular-nums">
          {open} of {doubts.length} open · <kbd>,</kbd> <kbd>.</kbd>
        </span>
      </h2>
      <ul ref={list} className="mt-1 max-h-40 overflow-auto" data-testid="doubts">
        {doubts.map(d => (
          <li
            key={`${d.takeId} ${d.id}`}
            className={`flex items-center gap-1.5 rounded px-1 ${doubt === d.id ? 'bg-teal-soft' : 'hover:bg-rule-soft'}`}
          >
            <button
              className={`min-w-0 flex-1 truncate py-[3px] text-left ${d.looked ? 'text-ink-2 line-through' : ''}`}
              onClick={() => goToDoubt(d)}
              aria-current={doubt === d.id || undefined}
            >
              <span className="mr-1.5 text-ink-2 tabular-nums">{clock(d.start)}</span>
              {reasonOf(d, s)}
            </button>
            <button
              className={`grid size-[17px] shrink-0 place-items-center rounded-full border ${d.looked ? 'border-teal bg-teal text-on-ink' : 'border-ink-3 text-transparent'}`}
              role="checkbox"
              aria-checked={d.looked}
              aria-label={`${reasonOf(d, s)} at ${clock(d.start)} is right`}
              title={d.looked ? 'Found right' : 'It is right as it is (D)'}
              onClick={() => lookAt(d, !d.looked)}
            >
              <Check size={11} strokeWidth={3} aria-hidden />
            </button>
          </li>
        ))}
      </ul>
      {!doubts.length && <p className="mt-1 text-ink-2">Nothing is doubtful here.</p>}
    </section>
  );
}

/** Corrections that say nothing any more, after a recording was replaced or read in another range. */
function Misfits() {
  const track = useSession(editTrackOf);
  const takes = useSession(s => s.takes);
  const list = track?.takes.flatMap(t => (takes[t.id]?.misfits ?? []).map(m => ({ ...m, take: t.name }))) ?? [];
  if (!list.length) return null;
  return (
    <section aria-label="Corrections that no longer fit">
      <h2 className={title}>Corrections that no longer fit</h2>
      <ul className="mt-1">
        {list.map(m => (
          <li key={`${m.take} ${m.start} ${m.what}`} className="py-0.5">
            <span className="text-ink-2 tabular-nums">
              {m.take}, {clock(m.start)}
            </span>{' '}
            {m.what}
          </li>
        ))}
      </ul>
    </section>
  );
}
