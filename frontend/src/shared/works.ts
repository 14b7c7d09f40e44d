/** Work on the server that takes seconds, under a name of ours: how far it is, and an end to it. */
import { del, get } from "./api";

const POLL_MS = 350;

let count = 0;

/** Ask for work; `told` hears how much is done, 0..1, until it has ended one way or the other. */
export async function underway<T>(
  ask: (work: string) => Promise<T>,
  told: (part: number) => void,
  name: string = workName(),
): Promise<T> {
  let over = false;
  const poll = window.setInterval(() => {
    void get<{ part: number }>(`/works/${name}`)
      .then(({ part }) => !over && told(part))
      .catch(() => undefined);
  }, POLL_MS);
  try {
    return await ask(name);
  } finally {
    over = true;
    window.clearInterval(poll);
  }
}

export const workName = () => `${Date.now()}.${++count}`;

/** End it; nothing of it is kept. */
export const endWork = (name: string) => void del(`/works/${name}`).catch(() => undefined);
