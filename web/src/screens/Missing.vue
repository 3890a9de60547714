<template>
  <div class="empty">
    <h1>Page not found</h1>
    <p>It may have been deleted, or the link is incomplete.</p>
    <RouterLink to="/dispatches">Go to Dispatches</RouterLink>
  </div>
</template>
