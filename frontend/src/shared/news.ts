/** News of the day: what any window, batch or part of Dovrel did is reported here, and the day is asked for anew. */
import { type QueryClient, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { create } from "zustand";

const RETRY_MS = 700;
/** Between two askings for the day, however much happens. */
const PAUSE_MS = 400;
const CHANGING = [["day"], ["handovers"], ["encodings"]];

/** Whether the line is open, and what is wrong with parts of Dovrel, in sentences. */
export const useNews = create<{ line: "open" | "lost"; troubles: string[] }>(() => ({
  line: "open",
  troubles: [],
}));

/** Asks for what may have changed, once at a time, and once more if there was news meanwhile. */
export class Asking {
  private wanted = false;
  private going = false;

  constructor(private readonly client: QueryClient) {}

  async again() {
    this.wanted = true;
    if (this.going) return;
    this.going = true;
    while (this.wanted) {
      this.wanted = false;
      await Promise.all(CHANGING.map((queryKey) => this.client.refetchQueries({ queryKey, type: "active" })));
      await new Promise((resolve) => window.setTimeout(resolve, PAUSE_MS));
    }
    this.going = false;
  }
}

/** Hear the news until told to stop; a broken line is opened again. */
export function hear(onNews: () => void): () => void {
  let closed = false;
  let retry: number | undefined;
  let socket: WebSocket;
  let last: number | null = null;
  const open = () => {
    socket = new WebSocket(`ws://${window.location.host}/api/news`);
    socket.onmessage = (event) => {
      const { number, troubles } = JSON.parse(event.data as string);
      useNews.setState({ line: "open", troubles });
      if (number !== last) onNews();
      last = number;
    };
    socket.onclose = () => {
      if (closed) return;
      useNews.setState({ line: "lost" });
      retry = window.setTimeout(open, RETRY_MS);
    };
  };
  open();
  return () => {
    closed = true;
    window.clearTimeout(retry);
    socket.close();
  };
}

/** Keep all that is shown of the day up to date, for as long as the page is open. */
export function useNewsOfTheDay() {
  const client = useQueryClient();
  useEffect(() => {
    const asking = new Asking(client);
    return hear(() => void asking.again());
  }, [client]);
}
