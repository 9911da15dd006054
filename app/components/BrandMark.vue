<template>
  <NuxtLink to="/" class="flex items-center gap-2 text-[15px] font-semibold" aria-label="Stavik, to the library">
    <svg width="20" height="20" viewBox="0 0 20 20" aria-hidden="true">
      <path d="M3 3v14M8 6v11M13 3v9M18 8v9" stroke="var(--color-pine)" stroke-width="2.4" stroke-linecap="round" />
    </svg>
    Stavik
  </NuxtLink>
</template>
