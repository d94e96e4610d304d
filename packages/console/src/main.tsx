import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { askAhead } from './app/ahead';
import { App } from './app/App';
import { applyTheme } from './app/theme';
import { copyExactly } from './components/copies';
import './theme.css';

applyTheme();
askAhead();
document.addEventListener('copy', copyExactly);
createRoot(document.getElementById('root')!).render(
  <StrictMode>
    <App />
  </StrictMode>,
);
