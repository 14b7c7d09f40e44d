/** What the desk does to its shot on the server: balance, match, keep, undo. One thing at a time. */
import { useState } from "react";
import {
  type BalanceAnswer,
  type Day,
  type Kept,
  type MatchAnswer,
  noteOrder,
  type Offer,
  patch,
  post,
  Refusal,
  type Shot,
} from "../shared/api";
import { useDayChanged, useShotChanged } from "../shared/day";
import { meant, useTurning } from "../shared/doing";
import { underway } from "../shared/works";
import { withAims } from "./exchange";
import { adopt, setLevel } from "./opening";
import { balanceSaid, type MatchOrder } from "./Proposals";
import { flush, meet } from "./saving";
import { useDesk } from "./state";

const meterNow = () => useDesk.getState().meter;
const frameNow = () => useDesk.getState().frame;

/** Among all proposals a box or outline is a patch that says the white; the rest looks at everything. */
const isPatch = () => ["box", "outline"].includes(meterNow()?.kind ?? "");

/** Move all ten readings to the reference's. */
export function meetAll() {
  withAims((aims) => meet("all readings met the reference", new Map(aims.map((aim, i) => [i, aim]))));
}

export function useActions(shotId: number, day: Day | undefined) {
  const shotChanged = useShotChanged();
  const dayChanged = useDayChanged();
  const turned = useTurning();
  const [busy, setBusy] = useState<string | null>(null);
  const [proposed, setProposed] = useState<BalanceAnswer | null>(null);
  const [told, setTold] = useState<{ version: number | null; text: string } | null>(null);
  const [matchAsked, setMatchAsked] = useState(false);
  const [noting, setNoting] = useState(false);
  const [matched, setMatched] = useState(0);
  const [offered, setOffered] = useState<{ offer: Offer; order: MatchOrder | undefined } | null>(null);

  /** Run an action on the server after what is unsaved, and say what went wrong in a sentence. */
  const act = async (name: string, action: (base: number | null) => Promise<void>) => {
    if (busy) return;
    setBusy(name);
    useDesk.setState({ acting: true, fault: null, refused: null });
    try {
      await flush();
      await action(useDesk.getState().base);
    } catch (error) {
      useDesk.setState({ refused: error instanceof Refusal ? error.message : String(error) });
    } finally {
      useDesk.setState({ acting: false });
      setBusy(null);
    }
  };
  const settle = (changed: Shot) => {
    adopt(changed);
    shotChanged(changed);
  };
  const say = (changed: Shot, text: string) => setTold({ version: changed.version_id, text });
  const balanceOrder = (base: number | null) => ({ frame: frameNow(), base, meter: meterNow() });
  const balance = (candidate?: string) =>
    act("balancing", async (base) => {
      setLevel("shot");
      const order = { ...balanceOrder(base), candidate, patch: candidate !== undefined && isPatch() };
      const answer = await post<BalanceAnswer>(`/shots/${shotId}/balance`, order);
      setProposed(null);
      settle(answer.shot);
      const given = answer.candidates.find((one) => one.id === answer.applied);
      if (given) say(answer.shot, balanceSaid(given));
    });
  const proposeBalances = () =>
    act("balancing", async (base) => {
      const order = { ...balanceOrder(base), apply: false, patch: isPatch() };
      setProposed(await post<BalanceAnswer>(`/shots/${shotId}/balance`, order));
    });
  const match = (order?: MatchOrder, unsure = false) =>
    act("matching", async (base) => {
      setLevel("shot");
      setMatchAsked(false);
      setOffered(null);
      const { meter, referenceMeter, ties } = useDesk.getState();
      const asked = {
        frame: frameNow(),
        base,
        meter,
        reference_meter: referenceMeter,
        ties,
        unsure,
        ...order,
      };
      const answer = await underway(
        (work) => post<MatchAnswer>(`/shots/${shotId}/match`, { ...asked, work }),
        setMatched,
      ).finally(() => setMatched(0));
      if (answer.offer) setOffered({ offer: answer.offer, order });
      else settle(answer.shot);
    });
  const keep = (asReference = true) =>
    act("keeping", async () => {
      await post<Kept>(`/shots/${shotId}/keep`, { frame: frameNow(), as_reference: asReference });
      const { keptCount, shot } = useDesk.getState();
      const what = asReference ? "is its family's reference now" : "is kept; H shows the kept frames";
      useDesk.setState({
        keptCount: keptCount + 1,
        said: `Frame ${frameNow() + 1} of ${shot?.name} ${what}.`,
      });
      await dayChanged();
    });
  /** Change what stands beside the correction; it waits for nothing that is under way. */
  const change = async (what: string, order: object) => {
    try {
      await patch("/shots", order);
      await dayChanged();
      useDesk.setState({ said: what, refused: null });
    } catch (error) {
      useDesk.setState({ refused: error instanceof Refusal ? error.message : String(error) });
    }
  };
  const check = (shot: Shot) => {
    const state = shot.state === "checked" ? "matched" : "checked";
    return change(state === "checked" ? "Marked as checked." : "No longer marked as checked.", {
      shots: [shot.id],
      state,
    });
  };
  const note = (shots: Shot[], text: string) =>
    change(text ? "The note is saved." : "The note is removed.", noteOrder(shots, text));
  /** A trim, look or finish is an operation of the day: taken back as on the Wall. */
  const turnLevel = async (way: "undo" | "redo") => {
    const last = meant(day, way);
    if (last?.kind !== "level")
      throw new Error(`The last thing done was another: ${last?.what ?? "nothing"}.`);
    await turned(way);
    await dayChanged();
  };
  const walk = (way: "undo" | "redo") =>
    act(way, async (base) => {
      if (useDesk.getState().focus.level !== "shot") return turnLevel(way);
      settle(await post<Shot>(`/shots/${shotId}/${way}`, { base }));
      useDesk.setState({ said: way === "undo" ? "Taken back; Ctrl Shift Z does it again." : "Done again." });
    });
  return {
    busy,
    told,
    proposed,
    offered,
    matchAsked,
    matched,
    balance,
    proposeBalances,
    match,
    keep,
    walk,
    check,
    note,
    noting,
    askNote: () => setNoting(true),
    askMatch: () => setMatchAsked(true),
    leave: () => {
      setProposed(null);
      setMatchAsked(false);
      setOffered(null);
      setNoting(false);
    },
  };
}

export type Actions = ReturnType<typeof useActions>;
