import { Empty, Section, WordButton } from "../Page";
import { OperationTable } from "./OperationTable";
import { whole, type Change, type TracesData } from "./page";

/** Every operation with how often it was called, how often it failed and how long it took. */
export function Operations({ page, onChange: change }: { page: TracesData; onChange: Change }) {
  return (
    <Section title="Operations" pad={false}>
      <OperationTable rows={page.operations} chosen={page.asked.operation}>
        {(one) => (
          <WordButton onClick={() => change({ operation: String(one.id), least: "", most: "" })}>{one.name}</WordButton>
        )}
      </OperationTable>
      {page.operationCount > page.operations.length ? (
        <div className="hx-pad">
          <Empty>
            The {page.operations.length} most called of {whole(page.operationCount)} are shown. Search above for
            another.
          </Empty>
        </div>
      ) : null}
    </Section>
  );
}
