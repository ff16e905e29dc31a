import { Component, type ReactNode, Suspense } from 'react';
import { useTranslation } from 'react-i18next';
import { Button, Refusal } from './controls';

/** Shows what comes with a file of its own; where that cannot be had, says so instead of showing nothing at all. */
export function Late({ children, fallback }: { children: ReactNode; fallback?: ReactNode }) {
  return (
    <Boundary>
      <Suspense fallback={fallback}>{children}</Suspense>
    </Boundary>
  );
}

class Boundary extends Component<{ children: ReactNode }, { failed: boolean }> {
  state = { failed: false };
  static getDerivedStateFromError() {
    return { failed: true };
  }
  render() {
    return this.state.failed ? <Failed /> : this.props.children;
  }
}

function Failed() {
  const { t } = useTranslation();
  return (
    <div className="p-6">
      <Refusal text={t('error.page')} />
      <Button className="mt-3" onClick={() => window.location.reload()}>
        {t('error.retry')}
      </Button>
    </div>
  );
}
