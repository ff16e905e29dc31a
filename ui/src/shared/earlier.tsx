import { useTranslation } from 'react-i18next';
import { Button } from '../kit/controls';

/** What the button has to know of a list that comes in pages. */
interface Paged {
  hasNextPage: boolean;
  isFetchingNextPage: boolean;
  fetchNextPage: () => unknown;
}

/** Loads what came before the part of a list that is shown; nothing where all of it is. */
export function ShowEarlier({ of }: { of: Paged }) {
  const { t } = useTranslation();
  if (!of.hasNextPage) return null;
  return (
    <Button className="mt-2" disabled={of.isFetchingNextPage} onClick={() => void of.fetchNextPage()}>
      {t(of.isFetchingNextPage ? 'loading' : 'showEarlier')}
    </Button>
  );
}
