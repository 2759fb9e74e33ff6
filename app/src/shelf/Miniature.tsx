import type { Take } from '@essim/core';
import { useQuery } from '@tanstack/react-query';
import { pictured } from '../exchange/pictured';
import { VoicePicture } from '../exchange/VoicePicture';
import { withFiles } from '../jobs/files-client';

/** A small picture of a take from its reading. */
export function Miniature({ take }: { take: Take | undefined }) {
  const { data } = useQuery({
    queryKey: ['miniature', take?.sourceId],
    enabled: !!take,
    queryFn: async () => {
      const { sourceId, range, channels } = take!;
      const reading = await withFiles(async job => job.cachedReading({ sourceId, range, channels }));
      return reading ? pictured(reading) : null;
    },
  });
  if (!data) return <span className="grid h-[110px] place-items-center text-ink-3">not read yet</span>;
  return <VoicePicture voice={data} className="h-[110px]" />;
}
