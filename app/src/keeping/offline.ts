import { toast } from 'sonner';
import { registerSW } from 'virtual:pwa-register';
import { create } from 'zustand';
import { songsHeld } from './locks';

/**
 * Essim is kept by the browser, so that it works with no network. A newer version is offered on the song shelf, and is never taken while
 * a song is open in any tab.
 */
export const useOffline = create<{ kept: boolean; newer: boolean }>(() => ({ kept: false, newer: false }));

let take: ((reload?: boolean) => Promise<void>) | null = null;

export function keepForOffline(): void {
  if (!('serviceWorker' in navigator) || import.meta.env.DEV) return;
  take = registerSW({
    onOfflineReady: () => useOffline.setState({ kept: true }),
    onNeedRefresh: () => useOffline.setState({ newer: true }),
    // without it everything works as long as there is a network
    onRegisterError: () => {},
  });
  void navigator.serviceWorker.getRegistration().then(r => r?.active && useOffline.setState({ kept: true }));
}

/** Takes the newer version, if no song is open anywhere. */
export async function takeNewer(): Promise<void> {
  const open = await songsHeld();
  if (open) {
    toast(`A song is open in another tab. Close it there first: a newer Essim is never taken under an open song.`, {
      id: 'newer',
    });
    return;
  }
  await take?.(true);
}
