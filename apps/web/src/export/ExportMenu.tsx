import type { ExportBody, ExportFormat, ReadBody } from '@flail/contract';
import { Menu } from '@mantine/core';
import { IconDownload } from '@tabler/icons-react';
import { useRef, useState } from 'react';
import { api } from '../api/client.js';
import { byteCount } from '../format/numbers.js';
import { saveBlob } from './save.js';
import classes from './export.module.css';

const FORMATS: { format: ExportFormat; label: string; file: string }[] = [
  { format: 'text', label: 'lines as received', file: 'lines.log' },
  { format: 'jsonl', label: 'JSON lines, with all fields', file: 'lines.jsonl' },
  { format: 'csv', label: 'CSV, with the columns shown', file: 'lines.csv' },
  { format: 'otlp', label: 'OTLP, one request a line', file: 'lines.otlp.jsonl' },
];

/** Saves all lines that match, however many, with how far it is and the way to stop. */
export function ExportMenu({ body, columns }: { body: ReadBody; columns: readonly string[] }) {
  const [bytes, setBytes] = useState<number>();
  const [failure, setFailure] = useState<string>();
  const controller = useRef<AbortController>(undefined);
  const save = async (format: ExportFormat, file: string): Promise<void> => {
    controller.current = new AbortController();
    setFailure(undefined);
    setBytes(0);
    try {
      const what: ExportBody = {
        ...body,
        what: 'lines',
        format,
        columns: ['time', 'level', ...columns, 'text'],
      };
      saveBlob(file, await api.export(what, setBytes, controller.current.signal));
    } catch (error) {
      if (!controller.current.signal.aborted)
        setFailure(error instanceof Error ? error.message : String(error));
    }
    setBytes(undefined);
  };
  if (bytes !== undefined)
    return (
      <span className={classes.progress} role="status">
        saving, {byteCount(bytes)} so far
        <button type="button" className="word" onClick={() => controller.current?.abort()}>
          stop
        </button>
      </span>
    );
  return (
    <>
      {failure !== undefined && (
        <span className={classes.failed} role="alert">
          {failure}
        </span>
      )}
      <Menu position="bottom-end" withinPortal>
        <Menu.Target>
          <button type="button" className={classes.button} aria-label="Save the lines">
            <IconDownload size={14} /> save
          </button>
        </Menu.Target>
        <Menu.Dropdown>
          {FORMATS.map(({ format, label, file }) => (
            <Menu.Item key={format} onClick={() => void save(format, file)}>
              {label}
            </Menu.Item>
          ))}
        </Menu.Dropdown>
      </Menu>
    </>
  );
}
