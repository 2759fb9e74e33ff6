import { Pencil } from 'lucide-react';
import { act } from '../../open-song';
import {
  ADDED_DETAILS,
  giveVibrato,
  hasVibrato,
  LINE_DETAILS,
  PLACE_DETAIL,
  SETTLE_DETAIL,
  setDetail,
  SUNG_DETAILS,
  takeVibrato,
  useTaken,
  type Detail,
} from './details';
import { AimByLength } from './AimByLength';
import { setDrawing, useDrawing } from './drawing';
import { noJoin, type Target } from './edits';
import { Section } from '../../shell/Section';
import { setSlack, SLACK_VALUES, useSlack } from './slack';
import { ValueRow } from '../../shell/ValueRow';

/** Beyond the six faders: the line by hand, and vibrato. Each says in its heading what is set. */
export function NoteDetails({ list }: { list: Target[] }) {
  return (
    <div className="flex flex-col gap-1">
      <Line list={list} />
      <Vibrato list={list} />
      <Slack list={list} />
      <AimByLength list={list} />
    </div>
  );
}

interface RowProps {
  detail: Detail;
  list: Target[];
  /** Where only some notes are meant. */
  only?: Target[];
  idle?: { text: string; why: string };
  none?: string;
}

function DetailRow({ detail, list, only, idle, none }: RowProps) {
  const { of, ...look } = detail;
  const meant = only ?? list;
  return (
    <ValueRow
      {...look}
      values={idle ? list.map(() => null) : meant.map(t => of(t.edit))}
      kind={`${detail.command} ${detail.argument} ${meant[0]?.note.key ?? ''} ${meant.length}`}
      idle={idle}
      none={none}
      onSet={(value, how) => setDetail(detail, value, how, only)}
    />
  );
}

/** "2 tilted · 1 drawn" */
const told = (parts: [number, string][]): string =>
  parts
    .filter(([count]) => count)
    .map(([count, what]) => `${count} ${what}`)
    .join(' · ') || 'as the faders give it';

function Line({ list }: { list: Target[] }) {
  const { on } = useDrawing();
  const count = (is: (t: Target) => unknown) => list.filter(is).length;
  const drawn = count(t => t.edit?.drawn);
  const summary = told([
    [count(t => t.edit?.tilt ?? t.edit?.startCents ?? t.edit?.endCents), 'tilted'],
    [count(t => t.edit?.begin), 'begun later'],
    [drawn, 'drawn'],
  ]);
  return (
    <Section title="Line" summary={summary}>
      {LINE_DETAILS.map(d => (
        <DetailRow key={d.name} detail={d} list={list} />
      ))}
      <DetailRow detail={PLACE_DETAIL} list={list} idle={noJoin(list)} />
      <DetailRow detail={SETTLE_DETAIL} list={list} none="off" />
      <p className="mt-1 text-[11.5px] text-ink-2">
        In the field: a note’s end grips with Alt for its first and last pitch, with Ctrl for where correction begins
        and the tilt.
      </p>
      <div className="mt-1.5 flex gap-1.5">
        <button className={`btn flex-1 ${on ? 'btn-on' : ''}`} aria-pressed={on} onClick={() => setDrawing(!on)}>
          <Pencil size={12} aria-hidden /> {on ? 'Drawing' : 'Draw'} <kbd>{on ? 'Esc' : 'D'}</kbd>
        </button>
        <button className="btn flex-1" disabled={!drawn} onClick={() => act('erase')}>
          Erase
        </button>
      </div>
      <p className="mt-1 text-[11.5px] text-ink-2">
        {on ? 'Drag over notes. Shift: a straight line. Alt: erase.' : 'Hold D and drag over notes in the field.'}
      </p>
    </Section>
  );
}

const NOT_SUNG = { text: 'none sung', why: 'None of these notes was sung with vibrato' };
const NOT_ADDED = { text: '–', why: 'None of these notes was given a vibrato: set its depth first' };

function Vibrato({ list }: { list: Target[] }) {
  const taken = useTaken(s => s.vibrato);
  const sung = list.filter(t => t.note.vibrato);
  const added = list.filter(t => t.edit?.added);
  const summary = told([
    [sung.length, 'sung'],
    [added.length, 'added'],
  ]);
  return (
    <Section title="Vibrato" summary={list.length && !sung.length && !added.length ? 'none' : summary}>
      {ADDED_DETAILS.map(d => (
        <DetailRow
          key={d.name}
          detail={d}
          list={list}
          {...(d.field === 'depthCents' ? {} : { only: added })}
          idle={d.field !== 'depthCents' && list.length && !added.length ? NOT_ADDED : undefined}
        />
      ))}
      <div className="my-1.5 flex gap-1.5">
        <button className="btn flex-1" disabled={!hasVibrato(list)} onClick={takeVibrato}>
          Take this one
        </button>
        <button className="btn flex-1" disabled={!list.length} onClick={giveVibrato}>
          {taken ? 'Like the taken' : 'Add a usual one'}
        </button>
      </div>
      {taken && (
        <p className="mb-1 text-[11.5px] text-ink-2 tabular-nums">
          Taken: {taken.rateHz.toFixed(1)} Hz, {taken.depthCents} cents, after {taken.delayMs} ms.
        </p>
      )}
      {SUNG_DETAILS.map(d => (
        <DetailRow
          key={d.name}
          detail={d}
          list={list}
          only={sung}
          idle={list.length && !sung.length ? NOT_SUNG : undefined}
        />
      ))}
    </Section>
  );
}

/** How far and how long the voice may stray before it is another note; what becomes one is seen while the fader is held. */
function Slack({ list }: { list: Target[] }) {
  const { cents, ms } = useSlack();
  return (
    <Section title="Slack" summary={`${cents} cents, ${ms} ms`}>
      {SLACK_VALUES.map(({ field, ...look }) => (
        <ValueRow
          key={field}
          {...look}
          values={list.length ? [useSlack.getState()[field]] : []}
          kind={`slack ${field}`}
          onSet={(value, how) => setSlack(field, value, how)}
        />
      ))}
      <p className="mt-1 text-[11.5px] text-ink-2">
        Cuts where the voice strays further and longer from its step, joins what strays less.
      </p>
    </Section>
  );
}
