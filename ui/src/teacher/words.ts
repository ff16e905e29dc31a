import words from '../../../locales/en.json?part=teacher';
import { speakMore } from '../i18n';

speakMore(words);
