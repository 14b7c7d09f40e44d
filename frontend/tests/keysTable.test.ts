/** The guide's table of keys is written from the table that the page reads: `npx vitest run tests/keysTable.test.ts -u` renews it. */
import { expect, test } from "vitest";
import {
  DESK_TASKS,
  GENERAL_KEYS,
  INTAKE_KEYS,
  KEYS,
  type Key,
  LINE_UP_KEYS,
  SETTINGS_KEYS,
  shownOf,
  WALL_KEYS,
} from "../src/shared/keys";

const rows = (keys: Key[]) => [
  "| key | what it does |",
  "| --- | --- |",
  ...keys.map((one) => `| ${(shownOf(one) || "none as it ships").replaceAll("|", "\\|")} | ${one.does} |`),
  "",
];

const screen = (name: string, keys: Record<string, Key>) => [`## ${name}`, ...rows(Object.values(keys))];

test("the guide's table of keys is the page's", async () => {
  const text = [
    "# Keys by screen",
    "As they ship; Settings gives an action another key. A letter means the same on every screen, or nothing.",
    "",
    ...screen("Every screen", GENERAL_KEYS),
    ...screen("Intake", INTAKE_KEYS),
    ...screen("Wall", WALL_KEYS),
    "## Desk",
    "",
    ...DESK_TASKS.flatMap(([task, names]) => [`**${task}**`, "", ...rows(names.map((name) => KEYS[name]))]),
    ...screen("Line-up", LINE_UP_KEYS),
    ...screen("Settings", SETTINGS_KEYS),
  ].join("\n");
  await expect(text).toMatchFileSnapshot("../../docs/guide/keys.md");
});
