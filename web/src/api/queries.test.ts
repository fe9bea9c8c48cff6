import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { active, client, cuts, evaluated, field, runs, signals, sweep } from "./queries";
import type { RunLine } from "./types";

const asked: string[] = [];
const line = (number: number, digest: string): RunLine =>
  ({ number, digest, status: "finished" }) as RunLine;
const empty = (): ArrayBuffer => {
  const header = new TextEncoder().encode('{"arrays":[]}   ');
  const buffer = new ArrayBuffer(4 + header.length);
  new DataView(buffer).setUint32(0, header.length, true);
  new Uint8Array(buffer, 4).set(header);
  return buffer;
};
/** What a query asks the server for. */
const path = async (query: { queryKey: readonly unknown[] }): Promise<string> => {
  asked.length = 0;
  await client.fetchQuery(query as Parameters<typeof client.fetchQuery>[0]);
  return asked[0]!;
};

beforeEach(() => {
  vi.stubGlobal("document", { cookie: "" });
  vi.stubGlobal("fetch", (url: string) => {
    asked.push(url);
    return Promise.resolve({
      ok: true,
      status: 200,
      json: () => Promise.resolve({}),
      arrayBuffer: () => Promise.resolve(empty()),
    });
  });
  client.clear();
});
afterEach(() => vi.unstubAllGlobals());

describe("reads of results", () => {
  it("carry the digest of what they read, so that the browser may keep them", async () => {
    client.setQueryData(runs(7).queryKey, [line(2, "ba5e"), line(1, "0dd5")]);
    expect(await path(sweep(7, 1))).toBe("/api/projects/7/runs/1/sweep?results=0dd5");
    expect(await path(evaluated(7, 2, "decay/line?frequency=1"))).toBe(
      "/api/projects/7/runs/2/decay/line?frequency=1&results=ba5e",
    );
    expect(await path(signals(7, 2, "at the rim"))).toBe(
      "/api/projects/7/runs/2/signals/at%20the%20rim?results=ba5e",
    );
  });
  it("carry those of all runs that they read, in order", async () => {
    client.setQueryData(runs(7).queryKey, [line(2, "ba5e"), line(1, "0dd5")]);
    expect(await path(cuts(7, [2, 1], 1e9, "phi=0"))).toContain("&results=ba5e,0dd5");
    expect(await path(field(7, 1, "near/box", 1e9, "&quantity=e&minus=2"))).toContain(
      "&minus=2&results=0dd5,ba5e",
    );
  });
  it("carry none while one of the runs is not known", async () => {
    client.setQueryData(runs(7).queryKey, [line(1, "0dd5")]);
    expect(await path(sweep(7, 3))).toBe("/api/projects/7/runs/3/sweep");
    expect(await path(cuts(7, [1, 3], 1e9, "phi=0"))).not.toContain("results");
    client.setQueryData(runs(7).queryKey, [line(1, "")]);
    expect(await path(sweep(7, 1))).toBe("/api/projects/7/runs/1/sweep");
  });
});

it("knows which runs go on", () => {
  expect(["queued", "running", "paused"].every(active)).toBe(true);
  expect(["finished", "stopped", "failed"].some(active)).toBe(false);
});
