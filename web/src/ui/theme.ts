import { createTheme } from '@mui/material/styles';
import type {} from '@mui/material/themeCssVarsAugmentation';

declare module '@mui/material/styles' {
  interface Palette {
    /** Care: look twice. */
    care: string;
    /** What can't be undone. */
    noReturn: string;
    /** The ground of the unit's tag. */
    tag: string;
    tagText: string;
    tagFaint: string;
    /** The seal's wax on the tag, closed and broken. */
    wax: string;
    openWax: string;
    /** The core chart: the band of what is alike, and what fills cells that were read back. */
    strand: string;
    strandFill: string;
    careFill: string;
    /** A band that sets the foot apart. */
    band: string;
    /** Thin rules. */
    rule: string;
  }
  interface PaletteOptions {
    care?: string;
    noReturn?: string;
    tag?: string;
    tagText?: string;
    tagFaint?: string;
    wax?: string;
    openWax?: string;
    strand?: string;
    strandFill?: string;
    careFill?: string;
    band?: string;
    rule?: string;
  }
  interface TypographyVariants {
    /** What to do now, legible at arm's length. */
    instruction: React.CSSProperties;
    /** A running time. */
    timer: React.CSSProperties;
    /** Digests, codes, numbers that are compared letter by letter. */
    code: React.CSSProperties;
  }
  interface TypographyVariantsOptions {
    instruction?: React.CSSProperties;
    timer?: React.CSSProperties;
    code?: React.CSSProperties;
  }
}

declare module '@mui/material/Typography' {
  interface TypographyPropsVariantOverrides {
    instruction: true;
    timer: true;
    code: true;
  }
}

const WORDS = "'Atkinson Hyperlegible Next Variable', sans-serif";
const CODE = "'JetBrains Mono Variable', monospace";

export const theme = createTheme({
  cssVariables: { colorSchemeSelector: 'data-scheme' },
  colorSchemes: {
    light: {
      palette: {
        primary: { main: '#1F6F66', contrastText: '#FFFFFF' },
        error: { main: '#8E2B25' },
        warning: { main: '#8A4719' },
        background: { default: '#F5F1E8', paper: '#FBF8F1' },
        text: { primary: '#20252B', secondary: '#4E5358' },
        divider: '#CDC4B1',
        care: '#8A4719',
        noReturn: '#8E2B25',
        tag: '#20252B',
        tagText: '#F5F1E8',
        tagFaint: '#B9B4A8',
        wax: '#A8453D',
        openWax: '#8FD6CB',
        strand: '#DCE7E1',
        strandFill: '#A9CDC5',
        careFill: '#E6C6A4',
        band: '#E9E2D2',
        rule: '#CDC4B1',
      },
    },
    dark: {
      palette: {
        primary: { main: '#6FC2B6', contrastText: '#10211F' },
        error: { main: '#E58A82' },
        warning: { main: '#E0A070' },
        background: { default: '#191D22', paper: '#20252B' },
        text: { primary: '#EDE8DD', secondary: '#B4B0A6' },
        divider: '#3C434B',
        care: '#E0A070',
        noReturn: '#E58A82',
        tag: '#2E353D',
        tagText: '#F5F1E8',
        tagFaint: '#B4B0A6',
        wax: '#A8453D',
        openWax: '#8FD6CB',
        strand: '#22363A',
        strandFill: '#2F5F5B',
        careFill: '#6A4A2C',
        band: '#252B32',
        rule: '#3C434B',
      },
    },
  },
  shape: { borderRadius: 5 },
  typography: {
    fontFamily: WORDS,
    htmlFontSize: 16,
    fontSize: 15,
    body1: { fontSize: '1.0625rem', lineHeight: 1.5 },
    body2: { fontSize: '0.9375rem', lineHeight: 1.45 },
    h1: { fontSize: '2.125rem', fontWeight: 650, lineHeight: 1.2, letterSpacing: '-0.01em' },
    h2: { fontSize: '1.3125rem', fontWeight: 650, lineHeight: 1.3 },
    h3: { fontSize: '1.0625rem', fontWeight: 650, lineHeight: 1.4 },
    button: { fontSize: '1.0625rem', fontWeight: 650, textTransform: 'none' },
    instruction: { fontFamily: WORDS, fontSize: '1.875rem', lineHeight: 1.35, fontWeight: 500 },
    timer: {
      fontFamily: WORDS,
      fontSize: '4.5rem',
      lineHeight: 1.05,
      fontWeight: 600,
      fontVariantNumeric: 'tabular-nums',
    },
    code: { fontFamily: CODE, fontSize: '0.9375rem', fontVariantNumeric: 'tabular-nums' },
  },
  components: {
    MuiCssBaseline: {
      styleOverrides: {
        body: { fontVariantNumeric: 'tabular-nums' },
        '*': { scrollbarColor: 'var(--mui-palette-text-secondary) transparent' },
        ':focus-visible': {
          outline: '3px solid var(--mui-palette-primary-main)',
          outlineOffset: 2,
        },
      },
    },
    MuiButtonBase: { defaultProps: { disableRipple: true } },
    MuiButton: {
      defaultProps: { disableElevation: true },
      styleOverrides: {
        root: { padding: '9px 22px', minHeight: 46 },
        outlined: { borderWidth: 2, '&:hover': { borderWidth: 2 } },
        text: {
          padding: '6px 8px',
          minHeight: 36,
          textDecoration: 'underline',
          textUnderlineOffset: 4,
        },
      },
    },
    MuiPaper: {
      defaultProps: { elevation: 0 },
      styleOverrides: { root: { backgroundImage: 'none' } },
    },
    MuiTypography: { defaultProps: { variantMapping: { instruction: 'p', timer: 'p' } } },
    MuiTextField: { defaultProps: { size: 'small' } },
    MuiTableCell: {
      styleOverrides: {
        root: {
          fontSize: '1rem',
          padding: '10px 14px 10px 0',
          borderColor: 'var(--mui-palette-rule)',
        },
        head: {
          fontSize: '0.9375rem',
          fontWeight: 600,
          color: 'var(--mui-palette-text-secondary)',
        },
      },
    },
    MuiSnackbarContent: {
      styleOverrides: {
        root: {
          backgroundColor: 'var(--mui-palette-tag)',
          color: 'var(--mui-palette-tagText)',
          fontSize: '1rem',
        },
      },
    },
    MuiTooltip: {
      styleOverrides: {
        tooltip: {
          backgroundColor: 'var(--mui-palette-tag)',
          color: 'var(--mui-palette-tagText)',
          fontSize: '0.9375rem',
          lineHeight: 1.45,
          padding: '8px 12px',
          maxWidth: 340,
        },
      },
    },
  },
});
