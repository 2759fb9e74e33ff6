import { Link, useParams } from 'react-router';
import { DESKS, type DeskId } from '../desks';

/** A desk that is not open yet: what it will be for, and the way back. */
export function LaterDesk({ desk }: { desk: DeskId }) {
  const { songId } = useParams();
  const { name, about, then } = DESKS.find(d => d.id === desk)!;
  return (
    <div className="absolute inset-0 grid place-items-center bg-paper p-8">
      <section className="max-w-md text-center">
        <h1 className="text-2xl font-semibold tracking-tight">{name}</h1>
        <p className="mt-2 text-[15px] text-ink-2">{about}</p>
        <p className="mt-4 inline-block rounded-lg bg-amber-soft px-3 py-1.5 text-amber">This desk is not open yet.</p>
        {then && <p className="mt-3 text-ink-2">{then}</p>}
        <p className="mt-5">
          <Link className="btn btn-ink" to={`/song/${songId}/tune`}>
            Go to Tune <kbd>3</kbd>
          </Link>
        </p>
      </section>
    </div>
  );
}
