import type { Page } from 'playwright-core';

/** What a person does at a page: each click, text typed and key pressed is counted. */
export interface Counted {
  /** So many since the last `reset`. */
  count(): number;
  reset(): void;
  /** One that is done by other means. */
  also(): void;
  click(name: string | RegExp): Promise<void>;
  type(text: string): Promise<void>;
  press(key: string): Promise<void>;
  /** One of a list that is found by typing, after the button that opens it. */
  pick(opener: string | RegExp | null, words: string): Promise<void>;
  /** The same on the button that has the cursor. */
  pickHere(words: string): Promise<void>;
  fill(label: string | RegExp, text: string): Promise<void>;
  choose(label: string | RegExp, option: string): Promise<void>;
  writeInto(label: string, text: string): Promise<void>;
}

export function counted(page: () => Page): Counted {
  let actions = 0;
  const search = () => page().getByRole('combobox', { name: /search/ });
  const click: Counted['click'] = async (name) => {
    actions++;
    await page().getByRole('button', { name }).click();
  };
  const type: Counted['type'] = async (text) => {
    actions++;
    await page().keyboard.type(text);
  };
  const press: Counted['press'] = async (key) => {
    actions++;
    await page().keyboard.press(key);
  };
  const pickHere: Counted['pickHere'] = async (words) => {
    await type(words);
    await press('Enter');
    await search().waitFor({ state: 'detached' });
  };
  return {
    count: () => actions,
    reset: () => void (actions = 0),
    also: () => void actions++,
    click,
    type,
    press,
    pickHere,
    pick: async (opener, words) => {
      if (opener !== null) await click(opener);
      await search().waitFor();
      await pickHere(words);
    },
    fill: async (label, text) => {
      actions++;
      await page().getByLabel(label).fill(text);
    },
    choose: async (label, option) => {
      actions++;
      await page().getByLabel(label).selectOption(option);
    },
    writeInto: async (label, text) => {
      actions++;
      await page().getByRole('textbox', { name: label }).click();
      await type(text);
      // The list of completions, where it is open, closes.
      await page().keyboard.press('Escape');
    },
  };
}
