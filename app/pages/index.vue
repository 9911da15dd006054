<template><div>Library</div></template>
