import { useTranslation } from 'react-i18next';
import { errorWords } from './errors';
import { Button, Loading, Refusal } from '../kit/controls';

/** What Unread has to know of a query. */
interface Query {
  data: unknown;
  error: Error | null;
  refetch: () => Promise<unknown>;
}

/** Stands where a part shows what these queries bring, until all have: that it loads, or why it could not be read and a button to try again. */
export function Unread({ of, inside }: { of: Query[]; inside?: boolean }) {
  const { t } = useTranslation();
  const failed = of.find((x) => !x.data && x.error);
  if (!failed?.error) return <Loading />;
  const said = (
    <>
      <Refusal text={errorWords(t, failed.error)} />
      <Button className="mt-3" onClick={() => void Promise.all(of.filter((x) => !x.data).map((x) => x.refetch()))}>
        {t('error.retry')}
      </Button>
    </>
  );
  if (inside) return said;
  return (
    <main id="page" className="p-6">
      {said}
    </main>
  );
}
