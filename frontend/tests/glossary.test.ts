/** The guide's list of words is written from the page's: `npx vitest run tests/glossary.test.ts -u` renews it. */
import { expect, test } from "vitest";
import { GLOSSARY } from "../src/shared/glossary";

test("the guide's words are the page's", async () => {
  const text = [
    "# Dovrel's own words",
    "The trade's terms keep their meaning. These are Dovrel's.",
    "",
    ...Object.entries(GLOSSARY).map(([term, says]) => `- **${term}**: ${says}`),
    "",
  ].join("\n");
  await expect(text).toMatchFileSnapshot("../../docs/guide/words.md");
});

test("each word is explained in one sentence of at most 25 words", () => {
  for (const says of Object.values(GLOSSARY)) {
    expect(says).toMatch(/^[^.!?]+\.$/);
    expect(says.split(/\s+/).length).toBeLessThanOrEqual(25);
  }
});
