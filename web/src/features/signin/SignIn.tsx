import { type FormEvent, useState } from "react";
import { call } from "../../api/client";
import { client, session } from "../../api/queries";
import { Logo } from "../../ui/Logo";
import { Button } from "../../ui/Button";

export function SignIn() {
  const [fault, setFault] = useState("");
  const [busy, setBusy] = useState(false);
  const submit = async (event: FormEvent<HTMLFormElement>): Promise<void> => {
    event.preventDefault();
    const form = new FormData(event.currentTarget);
    setBusy(true);
    try {
      await call("POST", "/session", {
        username: form.get("username"),
        password: form.get("password"),
      });
      await client.invalidateQueries({ queryKey: session.queryKey });
    } catch (error) {
      setFault((error as Error).message);
      setBusy(false);
    }
  };
  const field = "mt-1 w-full rounded-md border border-rule bg-paper px-3 py-2 text-[14px]";
  return (
    <main className="grid min-h-full place-items-center p-6">
      <form
        onSubmit={(e) => void submit(e)}
        className="w-80 rounded-lg border border-rule bg-card p-7"
      >
        <Logo className="mb-3 size-10" />
        <h1 className="text-[20px] font-semibold">Odd Heron</h1>
        <p className="mb-5 text-ink2">Model, solve and read antennas.</p>
        <label className="mb-3 block">
          Name
          <input name="username" autoComplete="username" required autoFocus className={field} />
        </label>
        <label className="mb-4 block">
          Password
          <input
            name="password"
            type="password"
            autoComplete="current-password"
            required
            className={field}
          />
        </label>
        {fault && (
          <p role="alert" className="mb-3 text-rust">
            {fault}
          </p>
        )}
        <Button look="main" type="submit" disabled={busy} className="w-full">
          Sign in
        </Button>
      </form>
    </main>
  );
}
