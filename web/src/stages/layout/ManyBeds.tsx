import { Button, Drawer, Form } from "antd";
import { useState } from "react";
import { api, problemOf, take, type HouseOut } from "../../api/client";
import { useChange } from "../../api/queries";
import { at, ChoiceField, NumberField } from "../../frame/Field";

/** Many beds like one that stands, numbered from a number on. */
export default function ManyBeds({ house, onClose }: { house: HouseOut; onClose: () => void }) {
  const last = house.beds.at(-1);
  const [like, setLike] = useState(last?.id ?? 0);
  const [count, setCount] = useState<number | null>(4);
  const [first, setFirst] = useState<number | null>(Math.max(0, ...house.beds.map((b) => Number(b.form.name) || 0)) + 1);
  const form = house.beds.find((b) => b.id === like)?.form;
  const add = useChange(
    () => {
      if (!form) throw new Error("no bed to copy");
      return take(api.POST("/api/houses/{house_id}/beds/many/", { params: { path: { house_id: house.id } }, body: { like: form, count: count ?? 0, first_number: first ?? 0 } }));
    },
    "layout", "watch", "plumbing",
  );
  return (
    <Drawer open size={420} title={`Many beds in ${house.form.name}`} onClose={onClose}
      footer={<Button type="primary" loading={add.isPending} onClick={() => add.mutate(undefined, { onSuccess: onClose })}>Add {count ?? 0} beds</Button>}>
      <Form layout="vertical" component="div">
        <ChoiceField label="Like bed" value={like} options={house.beds.map((b) => ({ value: b.id, label: `${b.form.name}, ${b.form.crop}` }))} onChange={setLike} />
        <NumberField label="How many" value={count} unit="beds" digits={0} error={at(add.error, "count")} onChange={setCount} />
        <NumberField label="Numbered from" value={first} digits={0} error={at(add.error, "first_number")} onChange={setFirst} />
      </Form>
      {count && first !== null ? <p>Beds {first} to {first + count - 1}, each with {form?.plants} plants on the pump of their neighbours. All of them are added, or none.</p> : null}
      {add.isError && !at(add.error, "count") && !at(add.error, "first_number") && <p role="alert" className="error">{problemOf(add.error)}</p>}
    </Drawer>
  );
}
