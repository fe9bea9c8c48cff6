/** The one way to the server: JSON in and out, problems as errors, the CSRF token of the session's cookie. */

export class Problem extends Error {
  constructor(
    readonly status: number,
    message: string,
    readonly body: Record<string, unknown>,
  ) {
    super(message);
  }
}

const token = (): string => /(?:^|; )csrftoken=([^;]+)/.exec(document.cookie)?.[1] ?? "";

async function answer(
  method: string,
  path: string,
  body?: unknown,
  signal?: AbortSignal,
  leaving = false,
): Promise<Response> {
  let response: Response;
  const form = body instanceof FormData;
  try {
    response = await fetch(`/api${path}`, {
      method,
      keepalive: leaving,
      ...(signal ? { signal } : {}),
      headers: {
        "X-CSRFToken": token(),
        ...(body === undefined || form ? {} : { "Content-Type": "application/json" }),
      },
      ...(body === undefined ? {} : { body: form ? body : JSON.stringify(body) }),
    });
  } catch (error) {
    if (signal?.aborted) throw error;
    throw new Problem(
      0,
      "The server does not answer. Your work is kept here; it will be saved when the server is back.",
      {},
    );
  }
  if (response.ok) return response;
  const data = (await response.json().catch(() => ({}))) as Record<string, unknown>;
  throw new Problem(
    response.status,
    String(data.title ?? `The server answered ${response.status}.`),
    data,
  );
}

/** With `leaving` the request outlives the page (up to 64 KiB). */
export async function call<T>(
  method: string,
  path: string,
  body?: unknown,
  signal?: AbortSignal,
  leaving = false,
): Promise<T> {
  const response = await answer(method, path, body, signal, leaving);
  return (response.status === 204 ? undefined : await response.json()) as T;
}

/** Sends a file. */
export async function upload(path: string, file: File): Promise<void> {
  const form = new FormData();
  form.append("file", file);
  await answer("POST", path, form);
}

export interface Packet {
  header: Record<string, unknown>;
  arrays: Record<string, { shape: number[]; data: Float32Array }>;
}

/** Reads the server's binary form: header length, JSON header, float32 arrays. */
export async function packet(path: string, body?: unknown, signal?: AbortSignal): Promise<Packet> {
  const buffer = await (
    await answer(body === undefined ? "GET" : "POST", path, body, signal)
  ).arrayBuffer();
  const length = new DataView(buffer).getUint32(0, true);
  const header = JSON.parse(new TextDecoder().decode(new Uint8Array(buffer, 4, length))) as Record<
    string,
    unknown
  >;
  let at = 4 + length;
  const arrays: Packet["arrays"] = {};
  for (const { name, shape } of header.arrays as { name: string; shape: number[] }[]) {
    const size = shape.reduce((a, b) => a * b, 1);
    arrays[name] = { shape, data: new Float32Array(buffer, at, size) };
    at += 4 * size;
  }
  return { header, arrays };
}
