import {
  IconArrowsRightLeft,
  IconBriefcase,
  IconChartLine,
  IconFlag,
  IconHeartbeat,
  IconList,
  IconListCheck,
  IconPlugConnected,
  IconStack2,
  IconStairsDown,
  IconTopologyStar3,
  IconZoomScan,
} from '@tabler/icons-react';
import type { ComponentType } from 'react';

export interface View {
  path: string;
  name: string;
  icon: ComponentType<{ size?: number }>;
}

/** The views there are, under the question that each group answers, in the order of work. */
export const VIEW_GROUPS: { question: string; views: View[] }[] = [
  {
    question: 'What is wrong?',
    views: [
      { path: '/health', name: 'Health', icon: IconHeartbeat },
      { path: '/requests', name: 'Requests', icon: IconArrowsRightLeft },
      { path: '/runs', name: 'Runs', icon: IconListCheck },
    ],
  },
  {
    question: 'What do the logs say?',
    views: [
      { path: '/logs', name: 'Logs', icon: IconList },
      { path: '/patterns', name: 'Patterns', icon: IconStack2 },
    ],
  },
  {
    question: 'What moved with it?',
    views: [
      { path: '/metrics', name: 'Metrics', icon: IconChartLine },
      { path: '/onsets', name: 'Onsets', icon: IconStairsDown },
      { path: '/changes', name: 'Changes', icon: IconFlag },
      { path: '/map', name: 'Map', icon: IconTopologyStar3 },
    ],
  },
  {
    question: 'What sets it apart?',
    views: [{ path: '/contrast', name: 'Contrast', icon: IconZoomScan }],
  },
  {
    question: 'Keep it',
    views: [
      { path: '/case', name: 'Case', icon: IconBriefcase },
      { path: '/sources', name: 'Sources', icon: IconPlugConnected },
    ],
  },
];

export const VIEWS: readonly View[] = VIEW_GROUPS.flatMap(({ views }) => views);
