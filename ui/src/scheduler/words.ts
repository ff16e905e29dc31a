import words from '../../../locales/en.json?part=scheduler';
import { speakMore } from '../i18n';

speakMore(words);
