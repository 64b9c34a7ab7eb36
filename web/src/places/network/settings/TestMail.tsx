import { useState } from "react";
import { z } from "zod";
import { api } from "../../../api/client";
import { Form, Send, TextField } from "../../../ui/forms";
import { Card } from "../../../ui/parts";
import { useWrite } from "../../../shell/write";

const schema = z.object({ to: z.email("Enter an email address, such as name@library.example.") });

/** Sends an email to see whether email goes as it is set up. */
export function TestMail() {
  const [sent, setSent] = useState("");
  const test = useWrite(({ to }: { to: string }) => api.POST("/api/mail/test", { body: { to } }), {
    done: (_, { to }) => setSent(to),
  });
  return (
    <Card label="Test email" className="grid max-w-4xl gap-2 p-3.5">
      <h2 className="font-semibold">Test email</h2>
      <p className="text-sm text-ink-2">Sent at once, from the saved sender above.</p>
      <Form
        schema={schema}
        start={{ to: "" }}
        write={test}
        onSend={(said) => {
          setSent("");
          test.run(said);
        }}
        className="flex flex-wrap items-start gap-2.5"
      >
        <TextField name="to" label="To" width="w-72" />
        <Send write={test} plain className="self-end">
          Send test email
        </Send>
      </Form>
      {sent && <p role="status">The mail server accepted the email to {sent}.</p>}
    </Card>
  );
}
