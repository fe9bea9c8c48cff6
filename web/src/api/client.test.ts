import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { Problem, call, packet } from "./client";

const fetched = vi.fn();
beforeEach(() => {
  vi.stubGlobal("fetch", fetched);
  vi.stubGlobal("document", { cookie: "a=1; csrftoken=abc123" });
});
afterEach(() => {
  vi.unstubAllGlobals();
  fetched.mockReset();
});

describe("calls", () => {
  it("carries the session's token and a JSON body", async () => {
    fetched.mockResolvedValue(new Response(JSON.stringify({ ok: 1 })));
    expect(await call("POST", "/projects", { example: "yagi" })).toEqual({ ok: 1 });
    const [path, init] = fetched.mock.calls[0] as [string, RequestInit];
    expect(path).toBe("/api/projects");
    expect(init.headers).toMatchObject({
      "X-CSRFToken": "abc123",
      "Content-Type": "application/json",
    });
    expect(init.body).toBe('{"example":"yagi"}');
  });

  it("turns a problem document into an error with its body", async () => {
    fetched.mockResolvedValue(
      new Response(JSON.stringify({ title: "edith saved revision 4", head: 4 }), { status: 409 }),
    );
    const fault = await call("POST", "/x").catch((e: unknown) => e as Problem);
    expect(fault).toBeInstanceOf(Problem);
    expect(fault).toMatchObject({
      status: 409,
      message: "edith saved revision 4",
      body: { head: 4 },
    });
  });

  it("says that work is kept when nobody answers", async () => {
    fetched.mockRejectedValue(new TypeError("failed to fetch"));
    await expect(call("GET", "/projects")).rejects.toMatchObject({
      status: 0,
      message: expect.stringContaining("Your work is kept") as string,
    });
  });

  it("survives an answer that is no JSON", async () => {
    fetched.mockResolvedValue(new Response("<html>", { status: 502 }));
    await expect(call("GET", "/projects")).rejects.toMatchObject({
      status: 502,
      message: "The server answered 502.",
    });
  });
});

it("reads packets: a JSON header and float32 arrays after it", async () => {
  let header = JSON.stringify({
    peak_dbi: 2.15,
    arrays: [
      { name: "theta", shape: [3] },
      { name: "e", shape: [2, 2] },
    ],
  });
  header += " ".repeat((4 - (header.length % 4)) % 4);
  const bytes = new Uint8Array(4 + header.length + 4 * 7);
  new DataView(bytes.buffer).setUint32(0, header.length, true);
  bytes.set(new TextEncoder().encode(header), 4);
  bytes.set(new Uint8Array(new Float32Array([0, 90, 180, 1, 2, 3, 4]).buffer), 4 + header.length);
  fetched.mockResolvedValue(new Response(bytes));
  const read = await packet("/field");
  expect(read.header.peak_dbi).toBe(2.15);
  expect(Array.from(read.arrays.theta!.data)).toEqual([0, 90, 180]);
  expect(read.arrays.e).toMatchObject({ shape: [2, 2] });
  expect(Array.from(read.arrays.e!.data)).toEqual([1, 2, 3, 4]);
});
