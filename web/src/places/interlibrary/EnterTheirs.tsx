import { useQuery } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { z } from "zod";
import { useAskAgain } from "../../api/asked";
import { api, keyed, told } from "../../api/client";
import { useWrite } from "../../shell/write";
import * as check from "../../ui/checks";
import { ChoiceField, DateField, Foot, Form, TextField, TickField } from "../../ui/forms";
import { Card } from "../../ui/parts";

const schema = z.object({
  partner: check.needed("Choose a partner."),
  number: check.text,
  title: check.needed("Enter a title."),
  author: check.text,
  numbers: check.text,
  year: check.text,
  copy: z.boolean(),
  part: check.text,
  needed: check.maybeDate,
  note: check.text,
});

/** A request that came by email, post or telephone, entered as if the partner's system had sent it. */
export function EnterTheirs({ onDone }: { onDone: () => void }) {
  const navigate = useNavigate();
  const askAgain = useAskAgain();
  const partners = useQuery({
    queryKey: ["requests", "partners"],
    queryFn: () => told(api.GET("/api/interlibrary/partners")),
  });
  const enter = useWrite(
    ({ partner, needed, ...v }: z.infer<typeof schema>, key) =>
      api.POST("/api/interlibrary/theirs", {
        params: { header: keyed(key) },
        body: { ...v, partner: Number(partner), needed_by: needed || undefined },
      }),
    {
      name: "enter a partner’s request",
      about: (v) => `The request for ${v.title}`,
      done: () => {
        askAgain("requests");
        onDone();
      },
      go: (r) => void navigate({ to: "/interlibrary", search: { request: r.id } }),
    },
  );
  return (
    <Card label="Enter a partner’s request" className="p-3.5">
      <Form
        label="Enter a partner’s request"
        schema={schema}
        start={{
          partner: "",
          number: "",
          title: "",
          author: "",
          numbers: "",
          year: "",
          copy: false,
          part: "",
          needed: "",
          note: "",
        }}
        write={enter}
        onSend={enter.run}
        className="grid items-start gap-3 md:grid-cols-2 xl:grid-cols-4"
      >
        <ChoiceField
          name="partner"
          label="Partner"
          options={[["", "choose"], ...(partners.data ?? []).map((p) => [String(p.id), p.name] as const)]}
        />
        <TextField name="number" label="Their number" hint="Leave it empty to be given one." />
        <TextField name="title" label="Title" className="xl:col-span-2" />
        <TextField name="author" label="Author" />
        <TextField name="numbers" label="ISBN or ISSN" hint="Several with commas between." />
        <TextField name="year" label="Year" />
        <DateField name="needed" label="Needed by" />
        <TickField name="copy" label="They want a copy, not a loan" />
        <TextField name="part" label="Article or pages" />
        <TextField name="note" label="Their note" className="xl:col-span-2" />
        <Foot write={enter} onLeave={onDone}>
          Enter request
        </Foot>
      </Form>
    </Card>
  );
}
