import { createTheme, type MantineColorsTuple } from '@mantine/core';

/** Ten strengths of one colour; Mantine asks for them all. */
const teal: MantineColorsTuple = [
  '#e6f2f1',
  '#cfe5e3',
  '#a3ccc9',
  '#72b2ae',
  '#4a9c97',
  '#2c8a85',
  '#177a76',
  '#0b6e6e',
  '#065c5c',
  '#034a4a',
];
const ink: MantineColorsTuple = [
  '#f7f5f0',
  '#ece8df',
  '#d8d3c7',
  '#bdb8ac',
  '#9c988e',
  '#7c8794',
  '#5c6672',
  '#434c56',
  '#2f373f',
  '#22282f',
];
const madder: MantineColorsTuple = [
  '#f9ecea',
  '#f0d4d0',
  '#e0a9a2',
  '#d07d73',
  '#c3594d',
  '#bb4336',
  '#b23a2e',
  '#9a2f25',
  '#80261e',
  '#651d17',
];

export const theme = createTheme({
  primaryColor: 'teal',
  primaryShade: { light: 7, dark: 4 },
  colors: { teal, gray: ink, red: madder },
  fontFamily: "'Hanken Grotesk Variable', sans-serif",
  fontFamilyMonospace: "'JetBrains Mono Variable', monospace",
  fontSizes: { xs: '12px', sm: '13px', md: '13px', lg: '15px', xl: '18px' },
  defaultRadius: 3,
  cursorType: 'pointer',
  components: {
    Button: { defaultProps: { size: 'compact-sm', variant: 'default' } },
    Tooltip: { defaultProps: { openDelay: 400, withArrow: false } },
    TextInput: { defaultProps: { size: 'xs' } },
    Select: { defaultProps: { size: 'xs' } },
  },
});
